/** Scans of a wearer: stood up, measured, drawn with their tapes, and taken as the head or the body in every fit. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useRef, useState } from "react";
import { api, need, refusal, type Schemas } from "../../api/client";
import { LengthField } from "../../parts/Fields";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";

const ScanStage = lazy(() => import("../../stage/ScanStage"));

type Scan = Schemas["Scan"];

export function Scans({ wearer }: { wearer: number }) {
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [kind, setKind] = useState<"head" | "body">("head");
  const scans = useQuery({
    queryKey: ["scans", wearer],
    queryFn: () => need(api.GET("/api/wearers/{id}/scans/", { params: { path: { id: wearer } } })),
  });
  const again = () => {
    for (const key of ["scans", "wearers", "sheet", "readings", "wall", "piece"]) void client.invalidateQueries({ queryKey: [key] });
  };
  const bring = useMutation({
    mutationFn: async (file: File | null) => {
      const form = new FormData();
      form.append("kind", kind);
      if (file) form.append("file", file);
      else form.append("simulated", "true");
      const answer = await fetch(`/api/wearers/${wearer}/scans/`, { method: "POST", body: form });
      const body = await answer.json();
      if (!answer.ok) throw refusal(body, answer.status);
      return body as Scan;
    },
    onSettled: again,
  });
  const change = useMutation({
    mutationFn: ({ scan, ...body }: Schemas["PatchedScanChangeRequest"] & { scan: number }) =>
      need(api.PATCH("/api/wearers/{id}/scans/{scan}/", { params: { path: { id: wearer, scan: String(scan) } }, body })),
    onSettled: again,
  });
  return (
    <Stack spacing={1.5} sx={{ p: 2.5 }}>
      <Typography color="text.secondary">
        A mesh from any phone: STL, OBJ or PLY, in any unit and any way up. Unit, pose, loose bits and noise are seen to here; hair is for
        you to say.
      </Typography>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center", flexWrap: "wrap" }} useFlexGap>
        <TextField select label="Scan of" value={kind} onChange={(e) => setKind(e.target.value as "head" | "body")} sx={{ width: 120 }}>
          <MenuItem value="head">head</MenuItem>
          <MenuItem value="body">body</MenuItem>
        </TextField>
        <Button variant="contained" onClick={() => chooser.current?.click()} disabled={bring.isPending}>
          {bring.isPending ? "Standing it up …" : "Bring in a scan"}
        </Button>
        <Button variant="outlined" onClick={() => bring.mutate(null)} disabled={bring.isPending || kind !== "head"}>
          Scan with the simulated scanner
        </Button>
        <input
          ref={chooser}
          type="file"
          hidden
          accept=".stl,.obj,.ply"
          aria-label="Scan file"
          onChange={(e) => {
            if (e.target.files?.[0]) bring.mutate(e.target.files[0]);
            e.target.value = "";
          }}
        />
      </Stack>
      <ErrorNote error={bring.error ?? change.error ?? scans.error} onClose={() => (bring.reset(), change.reset())} />
      {scans.data?.map((scan) => (
        <ScanCard key={scan.id} scan={scan} wearer={wearer} onChange={(body) => change.mutate({ scan: scan.id, ...body })} />
      ))}
      {scans.data?.length === 0 && <Typography>No scan yet. Until there is one, pieces are judged on the stand-in body.</Typography>}
    </Stack>
  );
}

function ScanCard({
  scan,
  wearer,
  onChange,
}: {
  scan: Scan;
  wearer: number;
  onChange: (body: Schemas["PatchedScanChangeRequest"]) => void;
}) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const told = scan.told;
  const name = (key: string) => key.replace(/_mm$/, "").replaceAll("_", " ");
  return (
    <Box role="article" aria-label={`Scan of the ${scan.kind}`} sx={{ border: `1px solid ${inks.line}`, p: 1.5 }}>
      <Stack direction="row" spacing={2} sx={{ flexWrap: "wrap" }} useFlexGap>
        {(["front", "side"] as const).map((view) => {
          const box = told.boxes[view];
          const stroke = box[3] / 230;
          return (
            <svg
              key={view}
              viewBox={box.join(" ")}
              height={scan.kind === "head" ? 200 : 300}
              role="img"
              aria-label={`The scan from the ${view}`}
            >
              <path d={told.outlines[view]} fill={inks.parts[1]} stroke={inks.ink} strokeWidth={stroke * 0.7} fillRule="evenodd" />
              {Object.entries(told.tapes)
                .filter(([, t]) => t.view === view)
                .map(([key, t]) => (
                  <polyline
                    key={key}
                    points={t.front.map(([x, y]) => `${x},${y}`).join(" ")}
                    fill="none"
                    stroke={inks.chosen}
                    strokeWidth={stroke * 1.6}
                  />
                ))}
            </svg>
          );
        })}
        <Box sx={{ flex: 1, minWidth: 260 }}>
          <Typography variant="body2" color="text.secondary">
            {units.prose(told.done.join("; "))}. Lies {units.length(told.off_mm, 1)} off the stand-in in the middle.
          </Typography>
          <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "1fr auto", m: 0, my: 1, columnGap: 2, maxWidth: 330 }}>
            {Object.entries(told.values).map(([key, v]) => (
              <Box key={key} sx={{ display: "contents" }}>
                <Typography component="dt" variant="body2">
                  {name(key)}
                </Typography>
                <Typography component="dd" variant="body2" sx={{ m: 0, fontWeight: 600 }}>
                  {units.plainLength(v.value, 1)} ± {units.length(v.sd, 1)}
                </Typography>
              </Box>
            ))}
          </Box>
          <Stack direction="row" spacing={1} sx={{ flexWrap: "wrap" }} useFlexGap>
            <LengthField
              label="Hair to take off"
              value={scan.hair_mm ?? 0}
              onCommit={(v) => v !== null && onChange({ hair_mm: v })}
              width={160}
            />
            <Button variant="outlined" onClick={() => onChange({ keep: true })}>
              Note these on the sheet
            </Button>
            <Button variant={scan.used ? "outlined" : "contained"} onClick={() => onChange({ used: !scan.used })}>
              {scan.used ? `Go back to the stand-in ${scan.kind}` : `Use as the ${scan.kind} in every fit`}
            </Button>
          </Stack>
          <PointsForm scan={scan} wearer={wearer} onChange={onChange} />
        </Box>
      </Stack>
    </Box>
  );
}

/** The sure way: three places touched on the scan. */
function PointsForm({
  scan,
  wearer,
  onChange,
}: {
  scan: Scan;
  wearer: number;
  onChange: (body: Schemas["PatchedScanChangeRequest"]) => void;
}) {
  const [open, setOpen] = useState(false);
  const [points, setPoints] = useState<[number, number, number][]>([]);
  const wanted = scan.told.points_wanted;
  if (!open) {
    return (
      <Button size="small" onClick={() => setOpen(true)}>
        It stands wrong: show three points
      </Button>
    );
  }
  return (
    <Box sx={{ mt: 1 }}>
      <Typography>
        {points.length < 3 ? `Touch the ${wanted[points.length]} (${points.length + 1} of 3). Drag to turn it.` : "All three are shown."}
      </Typography>
      <Suspense fallback={<Typography>Setting the stage …</Typography>}>
        <ScanStage
          file={`/api/wearers/${wearer}/scans/${scan.id}/preview/?v=${scan.told.off_mm}`}
          label={`The scan, to show ${wanted.join(", ")}`}
          points={points}
          onPoint={(p) => points.length < 3 && setPoints([...points, p])}
        />
      </Suspense>
      <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
        <Button
          variant="outlined"
          disabled={points.length < 3}
          onClick={() => (onChange({ shown: points }), setPoints([]), setOpen(false))}
        >
          Stand it up by these
        </Button>
        <Button onClick={() => setPoints([])}>Begin again</Button>
      </Stack>
    </Box>
  );
}
