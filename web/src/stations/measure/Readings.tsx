/** All readings of the line in focus: repeats, history, what a far-away wearer sent. */
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";

interface Props {
  wearer: number;
  row: Schemas["SheetRow"];
  /** The key in focus, with its side. */
  side: string;
  system: "mm" | "in";
  onDone: () => void;
}

const WORDS: Record<string, string> = { holds: "", past: "earlier", waits: "waits", refused: "refused" };

export function useReadings(wearer: number) {
  return useQuery({
    queryKey: ["readings", wearer],
    queryFn: () => need(api.GET("/api/wearers/{id}/readings/", { params: { path: { id: wearer } } })),
  });
}

export function Readings({ wearer, row, side, system, onDone }: Props) {
  const units = useUnits();
  const readings = useReadings(wearer);
  const [typed, setTyped] = useState("");
  const [way, setWay] = useState<string>(row.tool);
  const key = row.keys.includes(side) ? side : row.sided ? row.keys[1] : row.key;
  const take = useMutation({
    mutationFn: () =>
      need(
        api.POST("/api/wearers/{id}/take/", {
          params: { path: { id: wearer } },
          body: { key, typed, units: system, way: way as Schemas["WayEnum"], again: true },
        }),
      ),
    onSuccess: () => setTyped(""),
    onSettled: onDone,
  });
  const mine = readings.data?.filter((r) => row.keys.includes(r.key)) ?? [];
  return (
    <Stack spacing={0.75} sx={{ mt: 1 }} role="group" aria-label={`Readings of ${row.name}`}>
      <Stack direction="row" spacing={1} component="form" onSubmit={(e) => (e.preventDefault(), typed.trim() && take.mutate())}>
        <TextField label="One more reading" value={typed} onChange={(e) => setTyped(e.target.value)} sx={{ width: 150 }} />
        <TextField select label="by" value={way} onChange={(e) => setWay(e.target.value)} sx={{ width: 112 }}>
          {["tape", "caliper", "board", "scan", "customer", "guess"].map((w) => (
            <MenuItem key={w} value={w}>
              {w}
            </MenuItem>
          ))}
        </TextField>
        <Button type="submit" disabled={!typed.trim() || take.isPending}>
          Add
        </Button>
      </Stack>
      <ErrorNote error={take.error} onClose={() => take.reset()} />
      {mine.slice(0, 6).map((r) => (
        <Typography key={r.id} variant="body2" color={r.state === "holds" ? "text.primary" : "text.secondary"}>
          {units.length(r.value_mm, 1)}
          {r.key.startsWith("left_") ? ", left" : r.key.startsWith("right_") ? ", right" : ""} · {units.date(r.taken)}
          {r.way && ` · ${r.way}`}
          {r.by && ` · ${r.by}`}
          {WORDS[r.state ?? ""] && ` · ${WORDS[r.state ?? ""]}`}
        </Typography>
      ))}
    </Stack>
  );
}
