/** One plate in the ledger: what it takes, its filament, its parts, and printing it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { useSpools } from "../api/client";
import { LengthField, NumberField } from "../parts/Fields";
import { Mark } from "../parts/Mark";
import { ErrorNote } from "../parts/Notes";
import { PlainTable } from "../parts/PlainTable";
import { useUnits } from "../parts/units";
import type { Spot } from "./BedView";
import { pressKey } from "../api/press";
import { heldOf, others, useBegin, useDecide, type Floor, type Plate } from "./useFloor";

interface Props {
  build: number;
  floor: Floor;
  plate: Plate;
  part: string | null;
  onPart: (part: string) => void;
  onMove: (part: string, to: Spot) => void;
}

export function PlateSheet({ build, floor, plate, part, onPart, onMove }: Props) {
  const units = useUnits();
  const decide = useDecide(build);
  const chosen = plate.parts.find((p) => p.name === part);
  const elsewhere = floor.plates.filter(
    (p) => p.id !== plate.id && p.material === plate.material && p.colour === plate.colour && p.layer_mm === plate.layer_mm,
  );
  const moveTo = (id: string) => {
    const to = floor.plates.find((p) => p.id === id);
    if (!to || !chosen) return;
    const from = heldOf(plate);
    const left = { ...from, spots: from.spots.filter((s) => !(s.piece === chosen.piece && s.part === chosen.part)) };
    const there = heldOf(to);
    // It comes to the middle of the bed: from there it is dragged, or its numbers are typed.
    there.spots = [...there.spots, { piece: chosen.piece, part: chosen.part, turn_deg: chosen.turn_deg, x_mm: 0, y_mm: 0 }];
    const rest = others({ ...floor, held_plates: others(floor, there) }, from);
    decide.mutate({ held_plates: [...rest, there, ...(left.spots.length ? [left] : [])] });
  };
  return (
    <Box component="section" aria-label={plate.name}>
      <Typography variant="h2">{plate.name}</Typography>
      <Typography variant="body2">
        {`On ${plate.printer}: ${units.hours(plate.hours)}, ${plate.resin ? "resin" : `${units.grams(plate.filament_g)} (${units.grams(plate.support_g)} support)`}, layers ${units.plain(plate.layer_mm, 2)} mm${plate.colour ? `, ${plate.colour}` : ""}. ${units.percent(plate.filled, 0)} of the bed.`}
        {plate.in_turn && " One after the other: a failure loses one part."}
        {plate.beyond && " Supports or brim reach into the margin."}
      </Typography>
      {plate.fails !== null && plate.later_h !== null && plate.later_h > 0 && (
        <Typography variant="body2" color="text.secondary">
          {`Fails with ${units.percent(plate.fails, 0)}; then all of it is ${units.hours(plate.later_h)} later in the mean.`}
        </Typography>
      )}
      <Fed plate={plate} />
      <Begin build={build} floor={floor} plate={plate} />
      <PlainTable label="Parts on this plate" numbersFrom={2} small>
        <tbody>
          {plate.parts.map((p) => (
            <tr key={`${p.piece}/${p.part}`}>
              <td>
                <Button
                  size="small"
                  sx={{ p: 0, minHeight: 28, textAlign: "left", justifyContent: "flex-start" }}
                  aria-pressed={p.name === part}
                  onClick={() => onPart(p.name)}
                >
                  {p.piece_name}, {p.letter}
                </Button>
              </td>
              <td>{units.hours(p.hours)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {chosen && (
        <Box role="group" aria-label={`Where ${chosen.letter} lies`} sx={{ mt: 1 }}>
          <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", alignItems: "center" }}>
            <LengthField
              label="Right"
              width={98}
              value={round(chosen.x_mm)}
              onCommit={(v) => v !== null && onMove(chosen.name, { turn_deg: chosen.turn_deg, x_mm: v, y_mm: chosen.y_mm })}
            />
            <LengthField
              label="Back"
              width={98}
              value={round(chosen.y_mm)}
              onCommit={(v) => v !== null && onMove(chosen.name, { turn_deg: chosen.turn_deg, x_mm: chosen.x_mm, y_mm: v })}
            />
            <NumberField
              label="Turn"
              suffix="°"
              width={98}
              value={round(chosen.turn_deg)}
              onCommit={(v) => v !== null && onMove(chosen.name, { turn_deg: v, x_mm: chosen.x_mm, y_mm: chosen.y_mm })}
            />
          </Stack>
          {elsewhere.length > 0 && (
            <TextField select size="small" label="Move to" value="" onChange={(e) => moveTo(e.target.value)} sx={{ mt: 1, width: 200 }}>
              {elsewhere.map((p) => (
                <MenuItem key={p.id} value={p.id}>
                  {p.name}, {p.printer}
                </MenuItem>
              ))}
            </TextField>
          )}
        </Box>
      )}
      <Stack direction="row" useFlexGap spacing={1} sx={{ mt: 1, flexWrap: "wrap" }}>
        {plate.held ? (
          <Button size="small" variant="outlined" onClick={() => decide.mutate({ held_plates: others(floor, heldOf(plate)) })}>
            Free this plate
          </Button>
        ) : (
          <Button
            size="small"
            variant="outlined"
            onClick={() => decide.mutate({ held_plates: [...others(floor, heldOf(plate)), heldOf(plate)] })}
          >
            Lock as it lies
          </Button>
        )}
        <Button
          size="small"
          component="a"
          href={`/api/builds/${build}/plates/${plate.id}.3mf?printer=${encodeURIComponent(plate.printer)}`}
          download
        >
          3MF
        </Button>
      </Stack>
      <ErrorNote error={decide.error} onClose={() => decide.reset()} />
    </Box>
  );
}

const round = (v: number) => Math.round(v * 10) / 10;

/** From which spool, and whether that will do. */
export function Fed({ plate }: { plate: Plate }) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const f = plate.fed;
  if (!f || plate.resin) return null;
  const takes = `${units.plain(f.grams, 0)} ± ${units.plain(f.sd_g, 0)} g`;
  const words =
    f.spool === null
      ? `No spool of this is free then: it takes ${takes}.`
      : f.verdict !== "holds"
        ? `${f.spool_name}: ${units.grams(f.left_g)} left, this takes ${takes}: ${units.percent(f.runs_out, 0)} to run out${f.near_h === null ? "" : ` near hour ${units.plain(f.near_h, 0)}`}, ${f.awake ? "while somebody is awake" : "with nobody awake"}.`
        : `${f.spool_name}: ${units.grams(f.left_g)} left, this takes ${takes}.`;
  return (
    <Stack direction="row" spacing={1} sx={{ my: 0.75, alignItems: "flex-start", borderLeft: `4px solid ${inks[f.verdict]}`, pl: 1 }}>
      <Mark verdict={f.verdict} />
      <Typography variant="body2">{words}</Typography>
    </Stack>
  );
}

/** Two touches: print this plate, from that spool. */
export function Begin({ build, floor, plate, large }: { build: number; floor: Floor; plate: Plate; large?: boolean }) {
  const spools = useSpools();
  const units = useUnits();
  const begin = useBegin(build);
  const [open, setOpen] = useState(false);
  const [key, setKey] = useState(pressKey);
  const [printer, setPrinter] = useState<string | null>(null);
  const on = printer ?? plate.printer;
  const fits = spools.data?.filter((s) => plate.spools.includes(s.id)) ?? [];
  const busy = floor.running.find((r) => r.printer === on);
  const print = (spool: number | null) =>
    begin.mutate({ key, plate: plate.id, printer: on, spool }, { onSuccess: () => setOpen(false), onSettled: () => setKey(pressKey()) });
  return (
    <Box sx={{ my: 1 }}>
      {!open ? (
        <Button
          variant="contained"
          fullWidth={large}
          sx={large ? { minHeight: 64, fontSize: 18 } : undefined}
          onClick={() => setOpen(true)}
        >
          Print this plate
        </Button>
      ) : (
        <Stack spacing={1} role="group" aria-label="From which spool">
          {Object.keys(plate.on).length > 1 && (
            <TextField select size="small" label="On" value={on} onChange={(e) => setPrinter(e.target.value)}>
              {Object.keys(plate.on).map((name) => (
                <MenuItem key={name} value={name}>
                  {name}, {units.hours(plate.on[name].hours)}
                </MenuItem>
              ))}
            </TextField>
          )}
          {busy && <Typography color="error">{`${on} is printing ${busy.name}: say first what became of it.`}</Typography>}
          {(plate.resin || !fits.length ? [] : fits).map((s) => (
            <Button
              key={s.id}
              variant={s.id === plate.fed?.spool ? "contained" : "outlined"}
              disabled={begin.isPending || !!busy}
              onClick={() => print(s.id)}
              sx={large ? { minHeight: 58 } : undefined}
            >
              {`From ${s.name}: ${units.grams(s.left_g)} left`}
            </Button>
          ))}
          <Button
            variant={plate.resin || !fits.length ? "contained" : "text"}
            disabled={begin.isPending || !!busy}
            onClick={() => print(null)}
            sx={large ? { minHeight: 52 } : undefined}
          >
            {plate.resin ? "Print it" : "From another spool"}
          </Button>
          <Button onClick={() => setOpen(false)}>Not now</Button>
        </Stack>
      )}
      <ErrorNote error={begin.error} onClose={() => begin.reset()} />
    </Box>
  );
}
