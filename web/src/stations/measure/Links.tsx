/** Links for a far-away wearer, and what came in through them. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, need } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import { useReadings } from "./Readings";
import { useSheet } from "./Sheet";

export function Links({ wearer, build }: { wearer: number; build?: number }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const client = useQueryClient();
  const sheet = useSheet(wearer, build);
  const readings = useReadings(wearer);
  const links = useQuery({
    queryKey: ["links", wearer],
    queryFn: () => need(api.GET("/api/wearers/{id}/links/", { params: { path: { id: wearer } } })),
  });
  const again = () => {
    for (const key of ["links", "readings", "wearers", "sheet", "wall", "piece"]) void client.invalidateQueries({ queryKey: [key] });
  };
  const make = useMutation({
    mutationFn: (keys: string[]) => need(api.POST("/api/wearers/{id}/links/", { params: { path: { id: wearer } }, body: { keys } })),
    onSettled: again,
  });
  const revoke = useMutation({
    mutationFn: (link: number) =>
      need(api.POST("/api/wearers/{id}/links/{link}/revoke/", { params: { path: { id: wearer, link: String(link) } } })),
    onSettled: again,
  });
  const judge = useMutation({
    mutationFn: (body: { ids: number[]; accept: boolean }) =>
      need(api.POST("/api/wearers/{id}/judge/", { params: { path: { id: wearer } }, body })),
    onSettled: again,
  });
  const waiting = readings.data?.filter((r) => r.state === "waits") ?? [];
  const needed = sheet.data?.rows.filter((r) => r.needed_by.length > 0).map((r) => r.key) ?? [];
  return (
    <Stack spacing={1.5} sx={{ p: 2.5, maxWidth: 760 }}>
      <Typography color="text.secondary">
        A link opens this wearer’s sheet and nothing else, without an account, on a phone too. It ends after two weeks, or when you withdraw
        it. What is sent waits here until you accept it. The link works where this machine can be reached.
      </Typography>
      <Stack direction="row" spacing={1} sx={{ flexWrap: "wrap" }} useFlexGap>
        <Button variant="contained" onClick={() => make.mutate(needed)} disabled={needed.length === 0}>
          Link for the {needed.length} needed
        </Button>
        <Button variant="outlined" onClick={() => make.mutate([])}>
          Link for the whole sheet
        </Button>
      </Stack>
      <ErrorNote error={make.error ?? revoke.error ?? judge.error} />
      {links.data?.map((link) => (
        <Box key={link.id} sx={{ borderBottom: `1px solid ${inks.line}`, py: 0.75 }}>
          <Typography sx={{ overflowWrap: "anywhere" }}>
            {link.open ? (
              <a href={`/far/${link.token}`}>{`${location.origin}/far/${link.token}`}</a>
            ) : (
              <s>{link.revoked ? "withdrawn" : "run out"}</s>
            )}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {(link.keys as string[]).length || "all"} measurements, until {units.date(link.expires)}
          </Typography>
          {link.open && (
            <Button size="small" onClick={() => revoke.mutate(link.id)}>
              Withdraw
            </Button>
          )}
        </Box>
      ))}
      {waiting.length > 0 && (
        <Box role="region" aria-label="Sent in, waiting">
          <Typography variant="h3" component="h2">
            Sent in, waiting for you
          </Typography>
          {waiting.map((r) => (
            <Typography key={r.id}>
              {r.name}: <b>{units.length(r.value_mm)}</b>
              {r.by && `, by ${r.by}`}, {units.date(r.taken)}
            </Typography>
          ))}
          <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
            <Button variant="contained" onClick={() => judge.mutate({ ids: waiting.map((r) => r.id), accept: true })}>
              Accept
            </Button>
            <Button variant="outlined" onClick={() => judge.mutate({ ids: waiting.map((r) => r.id), accept: false })}>
              Refuse
            </Button>
          </Stack>
        </Box>
      )}
    </Stack>
  );
}
