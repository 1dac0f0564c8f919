/** What goes inside that the fit knows nothing of: things by their part, wires by both their ends. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { BaySize } from "../../parts/BaySize";

type PutIn = Schemas["PutIn"];

interface Props {
  piece: Detail;
  change: (change: Change) => void;
}

export function InsideList({ piece, change }: Props) {
  const trade = useTrade().data;
  const [fresh, setFresh] = useState<PutIn | null>(null);
  const parts = (piece.join_data?.parts ?? []).map((p) => ({ id: p.id, letter: p.name.replace(/^.*-/, "") }));
  const letter = (key: string) => parts.find((p) => p.id === key)?.letter ?? key;
  const put = piece.recipe.put_in;
  const steps = piece.assemble_data?.steps ?? [];
  const told = piece.assemble?.things ?? [];
  const add = () => {
    if (!fresh || !fresh.name.trim()) return;
    change({ put_in: [...put, { ...fresh, name: fresh.name.trim() }] });
    setFresh(null);
  };
  const things = [...told.filter((t) => t.kind !== "wire").map((t) => t.name)];
  return (
    <Box role="group" aria-label="What goes inside">
      <Typography variant="h3" component="h2">
        What goes inside
      </Typography>
      {told.map((t) => {
        const step = steps.findIndex((s) => s.key === t.step);
        const own = put.findIndex((p) => p.name === t.name);
        const words = !t.way ? "no way" : t.fished ? "fished" : !t.goes_in ? "does not go in" : t.again ? "" : "sealed in";
        return (
          <Stack key={t.name} direction="row" spacing={1} sx={{ alignItems: "center", minHeight: 38 }}>
            <Typography sx={{ flex: 1, minWidth: 0 }}>
              {t.name}: step {step + 1}
              {words && `, ${words}`}
              {own >= 0 && `, in ${letter(put[own].part)}${put[own].to ? ` to ${letter(put[own].to)}` : ""}`}
            </Typography>
            {own >= 0 ? (
              <Button size="small" aria-label={`Take out ${t.name}`} onClick={() => change({ put_in: put.filter((_, i) => i !== own) })}>
                Take out
              </Button>
            ) : (
              <Typography variant="body2" color="text.secondary">
                placed at Fit
              </Typography>
            )}
          </Stack>
        );
      })}
      {put
        .filter((p) => !told.some((t) => t.name === p.name))
        .map((p) => (
          <Stack key={p.name} direction="row" spacing={1} sx={{ alignItems: "center" }}>
            <Typography sx={{ flex: 1 }} color="text.secondary">
              {p.name}, in {letter(p.part)}
            </Typography>
            <Button size="small" onClick={() => change({ put_in: put.filter((q) => q !== p) })}>
              Take out
            </Button>
          </Stack>
        ))}
      {!told.length && !put.length && (
        <Typography variant="body2" color="text.secondary">
          Nothing. What has a size and a place at the body is added at Fit; wires, and what lies in a prop, here.
        </Typography>
      )}
      {fresh ? (
        <Stack spacing={1.25} sx={{ mt: 1.25 }} component="form" onSubmit={(e) => (e.preventDefault(), add())}>
          <Stack direction="row" spacing={1}>
            <TextField
              select
              label="What"
              value={fresh.kind}
              onChange={(e) => setFresh({ ...fresh, kind: e.target.value as PutIn["kind"], name: e.target.value, to: "" })}
              sx={{ flex: 1 }}
            >
              {trade?.put_kinds.map((k) => (
                <MenuItem key={k} value={k}>
                  {k}
                </MenuItem>
              ))}
            </TextField>
            <TextField label="Name" value={fresh.name} onChange={(e) => setFresh({ ...fresh, name: e.target.value })} sx={{ flex: 1 }} />
          </Stack>
          <Stack direction="row" spacing={1}>
            <Ends
              label="In part"
              value={fresh.part}
              onChange={(part) => setFresh({ ...fresh, part })}
              parts={parts}
              things={fresh.kind === "wire" ? things : []}
            />
            {fresh.kind === "wire" && (
              <Ends label="To" value={fresh.to} onChange={(to) => setFresh({ ...fresh, to })} parts={parts} things={things} />
            )}
          </Stack>
          {fresh.kind !== "wire" && (
            <Stack direction="row" spacing={1}>
              <BaySize
                bay={{ name: fresh.name, size_mm: fresh.size_mm, round: false }}
                onChange={(size) => setFresh({ ...fresh, size_mm: size as PutIn["size_mm"] })}
              />
            </Stack>
          )}
          <Stack direction="row" spacing={1}>
            <Button type="submit" variant="contained" disabled={!fresh.name.trim() || !fresh.part || (fresh.kind === "wire" && !fresh.to)}>
              Put it in
            </Button>
            <Button onClick={() => setFresh(null)}>Cancel</Button>
          </Stack>
        </Stack>
      ) : (
        <Button
          variant="outlined"
          sx={{ mt: 1 }}
          disabled={!parts.length}
          onClick={() => trade && setFresh({ ...trade.new_put, part: parts[0]?.id ?? "" })}
        >
          Add a thing or a wire
        </Button>
      )}
    </Box>
  );
}

interface EndsProps {
  label: string;
  value: string;
  onChange: (to: string) => void;
  parts: { id: string; letter: string }[];
  things: string[];
}

function Ends({ label, value, onChange, parts, things }: EndsProps) {
  return (
    <TextField select label={label} value={value} onChange={(e) => onChange(e.target.value)} sx={{ flex: 1 }}>
      {parts.map((p) => (
        <MenuItem key={p.id} value={p.id}>
          part {p.letter}
        </MenuItem>
      ))}
      {things.map((t) => (
        <MenuItem key={t} value={t}>
          {t}
        </MenuItem>
      ))}
    </TextField>
  );
}
