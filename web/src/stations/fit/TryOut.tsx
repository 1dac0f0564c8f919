/** Trying cheaply: the gauge ring, a half-scale copy, and the log of what was felt where. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, need, refusal, type Detail, type Verdict } from "../../api/client";
import { LengthField } from "../../parts/Fields";
import { Mark } from "../../parts/Mark";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";

export function TryOut({ piece }: { piece: Detail }) {
  return (
    <Box sx={{ p: 2, maxWidth: 760 }}>
      <GaugeRing piece={piece} />
      <Log piece={piece} />
    </Box>
  );
}

function GaugeRing({ piece }: { piece: Detail }) {
  const units = useUnits();
  const [height, setHeight] = useState(10);
  const [at, setAt] = useState<number | null>(null);
  const query = { height_mm: height, ...(at === null ? {} : { at_mm: at }) };
  const takes = useQuery({
    queryKey: ["ring", piece.id, piece.version, query],
    queryFn: () => need(api.GET("/api/pieces/{id}/gauge-ring/takes/", { params: { path: { id: piece.id }, query } })),
    retry: false,
    enabled: piece.stations.fit.state === "fresh",
  });
  const address = new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)]));
  return (
    <Stack spacing={1}>
      <Typography variant="h2" component="p">
        Gauge ring
      </Typography>
      <Typography>A slice of the piece at its true size. Try it on before the whole is printed.</Typography>
      <Stack direction="row" spacing={1.5}>
        <LengthField label="Height of the ring" value={height} onCommit={(v) => v !== null && setHeight(v)} width={160} />
        <LengthField label="Above the lower edge" optional value={at} helper="empty: the tightest place" onCommit={setAt} width={190} />
      </Stack>
      <ErrorNote error={takes.error} />
      {takes.isFetching && <Typography color="text.secondary">Cutting it …</Typography>}
      {takes.data && (
        <Typography>
          {units.length(takes.data.at_mm)} above the lower edge, {units.size(takes.data.size_mm)}:{" "}
          <b>{units.plain(takes.data.minutes, 0)} min</b>, <b>{units.grams(takes.data.filament_g)}</b>
          {piece.print && ` instead of ${units.hours(piece.print.hours)} and ${units.grams(piece.print.filament_g)}`}.
        </Typography>
      )}
      <Stack direction="row" spacing={1}>
        <Button component="a" variant="contained" href={`/api/pieces/${piece.id}/gauge-ring/?${address}`} download>
          Download the ring
        </Button>
        <Button component="a" variant="outlined" href={`/api/pieces/${piece.id}/half-scale/`} download>
          Download a half-scale copy
        </Button>
      </Stack>
    </Stack>
  );
}

const FELT: Verdict[] = ["holds", "tight", "stops"];

function Log({ piece }: { piece: Detail }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const client = useQueryClient();
  const photo = useRef<HTMLInputElement>(null);
  const [felt, setFelt] = useState<Verdict>("holds");
  const [where, setWhere] = useState("");
  const [action, setAction] = useState("");
  const log = useQuery({
    queryKey: ["test-fits", piece.id],
    queryFn: () => need(api.GET("/api/pieces/{id}/test-fits/", { params: { path: { id: piece.id } } })),
  });
  const add = useMutation({
    mutationFn: async () => {
      const form = new FormData();
      form.append("day", new Date().toLocaleDateString("sv-SE"));
      form.append("felt", felt);
      form.append("where", where);
      form.append("action", action);
      const file = photo.current?.files?.[0];
      if (file) form.append("picture", file);
      const answer = await fetch(`/api/pieces/${piece.id}/test-fits/`, { method: "POST", body: form });
      if (!answer.ok) throw refusal(await answer.json(), answer.status);
    },
    onSuccess: () => {
      setWhere("");
      setAction("");
      if (photo.current) photo.current.value = "";
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["test-fits", piece.id] }),
  });
  return (
    <Box sx={{ mt: 3 }}>
      <Typography variant="h2" component="p">
        Tried on
      </Typography>
      <Stack
        direction="row"
        spacing={1}
        component="form"
        onSubmit={(e) => (e.preventDefault(), add.mutate())}
        sx={{ my: 1, flexWrap: "wrap" }}
        useFlexGap
      >
        <TextField select label="Result" value={felt} onChange={(e) => setFelt(e.target.value as Verdict)} sx={{ width: 100 }}>
          {FELT.map((f) => (
            <MenuItem key={f} value={f}>
              {f}
            </MenuItem>
          ))}
        </TextField>
        <TextField label="Where" value={where} onChange={(e) => setWhere(e.target.value)} />
        <TextField label="What was done" value={action} onChange={(e) => setAction(e.target.value)} sx={{ flex: 1, minWidth: 200 }} />
        <input
          ref={photo}
          type="file"
          accept="image/jpeg,image/png,image/webp"
          aria-label="Photo"
          style={{ alignSelf: "center", maxWidth: 210 }}
        />
        <Button type="submit" variant="outlined" disabled={add.isPending}>
          Note it
        </Button>
      </Stack>
      <ErrorNote error={add.error ?? log.error} />
      {log.data?.map((entry) => {
        const told = entry.predicted as { verdict?: Verdict; room_mm?: number | null };
        return (
          <Box key={entry.id} role="listitem" sx={{ borderTop: `1px solid ${inks.line}`, py: 1, display: "flex", gap: 2 }}>
            {entry.photo && <img src={`/api/photos/${entry.photo}`} alt={`Tried on ${entry.day}`} height={70} />}
            <Box>
              <Typography>
                {units.date(entry.day)}: <Mark verdict={entry.felt as Verdict} word /> {entry.where}
              </Typography>
              {entry.action && <Typography>{entry.action}</Typography>}
              {told.verdict && (
                <Typography variant="body2" color="text.secondary">
                  Predicted that day: {told.verdict}
                  {told.room_mm !== null && told.room_mm !== undefined && `, ${units.length(told.room_mm, 1)} room`}.{" "}
                  {told.verdict === entry.felt ? "As predicted." : "Not as predicted."}
                </Typography>
              )}
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}
