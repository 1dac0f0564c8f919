/** Where to part it: planes on the stage and in numbers, the parts they give, the beds they fit. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMemo, useState } from "react";
import { usePrinters, useTrade, type Cut, type Schemas } from "../../api/client";
import { Explode } from "../../parts/Explode";
import { LengthField, NumberField } from "../../parts/Fields";
import { Mark } from "../../parts/Mark";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";
import { LazyStage } from "../../stage/LazyStage";
import type { StagePlane } from "../../stage/PlaneHandle";
import { Meetings } from "../pieces/Files";
import type { StationProps } from "../types";
import { Plans, Takes } from "./Plans";

type Three = [number, number, number];
/** Bare to hidden: what is seen by more than the first share is warm. */
const SEEN = { deepMm: 0.5, mostMm: 2 };
const WAYS: { label: string; normal: Three }[] = [
  { label: "Level", normal: [0, 0, 1] },
  { label: "Left from right", normal: [1, 0, 0] },
  { label: "Front from back", normal: [0, 1, 0] },
];

export default function CutStation({ piece, change, children }: StationProps) {
  const units = useUnits();
  const printers = usePrinters();
  const trade = useTrade().data;
  const aims = trade?.aims;
  const [explode, setExplode] = useState(0);
  const [plane, setPlane] = useState<string | null>(null);
  const [part, setPart] = useState<string | null>(null);
  const [seen, setSeen] = useState(false);
  const [touching, setTouching] = useState(false);
  const data = piece.cut_data;
  const cuts = useMemo<Cut[]>(() => piece.recipe.cuts ?? data?.cuts ?? [], [piece.recipe.cuts, data]);
  const scale = useMemo(() => piece.fit?.scale ?? [1, 1, 1], [piece.fit]);
  const keep = (next: Cut[]) => change({ cuts: next });

  // Planes are kept at scale 1 so that they follow the scale; the stage shows the piece at its scale.
  const shown = useMemo<StagePlane[]>(
    () =>
      cuts.map((c) => {
        const n = c.normal.map((v, i) => v / scale[i]);
        const length = Math.hypot(...n);
        return {
          id: c.id,
          point: c.point.map((v, i) => v * scale[i]) as Three,
          normal: n.map((v) => v / length) as Three,
        };
      }),
    [cuts, scale],
  );
  const fromStage = (moved: StagePlane) => {
    const n = moved.normal.map((v, i) => v * scale[i]);
    const length = Math.hypot(...n);
    keep(
      cuts.map((c) => (c.id === moved.id ? { ...c, point: moved.point.map((v, i) => v / scale[i]), normal: n.map((v) => v / length) } : c)),
    );
  };
  const add = (normal: Three) => {
    const bounds = piece.fit?.bounds_mm ?? piece.bounds_mm;
    if (!bounds) return;
    const middle = bounds[0].map((low, i) => (low + bounds[1][i]) / 2);
    let n = cuts.length + 1;
    while (cuts.some((c) => c.id === `c${n}`)) n += 1;
    setPlane(`c${n}`);
    keep([...cuts, { id: `c${n}`, point: middle, normal, limits: [], bow_mm: 0, bow_across: false }]);
  };
  const remove = (id: string) =>
    keep(cuts.filter((c) => c.id !== id).map((c) => ({ ...c, limits: c.limits.filter((limit) => limit[0] !== id) })));

  const centres = useMemo(() => Object.fromEntries(data?.parts.map((p) => [p.name, p.centre_mm]) ?? []), [data]);
  const chosenIds = piece.recipe.printer_ids;
  const toggle = (id: number) => {
    const all = printers.data?.filter((p) => p.active && p.kind !== "resin").map((p) => p.id) ?? [];
    const current = chosenIds.length ? chosenIds : all;
    const next = current.includes(id) ? current.filter((x) => x !== id) : [...current, id];
    if (next.length) change({ printer_ids: next.length === all.length ? [] : next });
  };
  const r = piece.recipe;
  // How each will lie, once that is computed for just these parts.
  const printed = useMemo(
    () => new Map(piece.stations.print?.state === "fresh" ? piece.print_data?.parts.map((p) => [p.id, p]) : []),
    [piece.stations.print, piece.print_data],
  );
  const careful = data?.seams.some((s) => s.care_cm >= 0.5);
  const keepOut = (at: Three) => {
    setTouching(false);
    change({ keep_out: [...r.keep_out, { at_mm: at.map((v, i) => v / scale[i]), radius_mm: trade?.keep_out_mm ?? 0 }] });
  };
  const stage = (
    <Box sx={{ display: "flex", flexDirection: "column", height: "100%" }}>
      <Plans piece={piece} change={change} />
      <Box sx={{ position: "relative", flex: 1, minHeight: 0 }}>
        <LazyStage
          key={seen ? "seen" : "parts"}
          file={seen && piece.files.seen ? piece.files.seen : (piece.files.parts ?? piece.files.preview)}
          label={`${piece.name}, ${data?.parts.length ?? 1} parts`}
          explode={seen ? 0 : explode}
          centres={centres}
          chosenPart={part}
          planes={explode > 0.02 && !seen ? [] : touching ? [] : shown}
          chosenPlane={plane}
          onChoosePlane={setPlane}
          onPlane={fromStage}
          sanding={seen ? SEEN : undefined}
          onFace={touching ? (_, at) => keepOut(at) : undefined}
        />
        <Stack direction="row" spacing={1} sx={{ position: "absolute", right: 12, top: 8, alignItems: "center" }}>
          <FormControlLabel control={<Switch size="small" checked={seen} onChange={(_, on) => setSeen(on)} />} label="How much is seen" />
          <Button
            size="small"
            variant={touching ? "contained" : "outlined"}
            aria-pressed={touching}
            onClick={() => {
              setExplode(0);
              setTouching(!touching);
            }}
          >
            {touching ? "Touch the piece" : "No seam here"}
          </Button>
        </Stack>
        <Explode value={explode} onChange={setExplode} width={260} />
      </Box>
    </Box>
  );
  const decisions = (
    <>
      <Box role="group" aria-label="Printers to cut for">
        <Typography variant="h3" component="h2">
          Printers
        </Typography>
        {printers.data
          ?.filter((p) => p.active && p.kind !== "resin")
          .map((p) => {
            const whole = piece.cut?.whole_fits[p.name];
            return (
              <Box key={p.id} sx={{ display: "flex", alignItems: "center" }}>
                <FormControlLabel
                  sx={{ flex: 1 }}
                  control={<Checkbox size="small" checked={!chosenIds.length || chosenIds.includes(p.id)} onChange={() => toggle(p.id)} />}
                  label={`${p.name}, ${units.size(p.usable_mm)} usable`}
                />
                {whole !== undefined && (
                  <Stack direction="row" spacing={0.75} sx={{ alignItems: "center" }}>
                    <Mark verdict={whole ? "holds" : "stops"} size={12} />
                    <Typography variant="body2">{whole ? "fits whole" : "too small"}</Typography>
                  </Stack>
                )}
              </Box>
            );
          })}
      </Box>
      <Box>
        <Typography variant="h3" component="h2" gutterBottom>
          Planes{r.cuts === null ? `, as proposed${data?.aim && aims ? `: ${aims[data.aim]}` : ""}` : ", set by you"}
        </Typography>
        <Stack spacing={1}>
          {cuts.map((c, i) => (
            <PlaneEntry
              key={c.id}
              cut={c}
              number={i + 1}
              chosen={c.id === plane}
              onChoose={() => setPlane(c.id)}
              onRemove={() => remove(c.id)}
              onKeep={(next) => keep(cuts.map((o) => (o.id === c.id ? next : o)))}
            />
          ))}
          {!cuts.length && (
            <Typography color="text.secondary">
              {piece.recipe.files.length > 1 ? "None: every file is printed as it came." : "None: the piece is printed whole."}
            </Typography>
          )}
        </Stack>
        <Stack direction="row" spacing={1} sx={{ mt: 1, flexWrap: "wrap" }} useFlexGap>
          {WAYS.map((w) => (
            <Button key={w.label} variant="outlined" size="small" onClick={() => add(w.normal)}>
              {w.label}
            </Button>
          ))}
          {piece.recipe.cuts !== null && (
            <Button size="small" variant="contained" onClick={() => change({ cuts: null })}>
              Propose planes
            </Button>
          )}
        </Stack>
      </Box>
      {piece.recipe.files.length > 1 && <Meetings piece={piece} names={piece.recipe.files.map((f) => f.name)} change={change} />}
      {r.keep_out.map((place, k) => (
        <Typography key={place.at_mm.join()} variant="body2">
          No seam within {units.length(place.radius_mm * Math.max(...scale))} of place {k + 1}.{" "}
          <Button size="small" onClick={() => change({ keep_out: r.keep_out.filter((o) => o !== place) })}>
            Take it back
          </Button>
        </Typography>
      ))}
      {data && (
        <PlainTable label="Parts">
          <thead>
            <tr>
              <th>Part</th>
              <th>Size</th>
              <th>Fits</th>
            </tr>
          </thead>
          <tbody>
            {data.parts.map((p) => (
              <Box component="tr" key={p.name} onMouseEnter={() => setPart(p.name)} onMouseLeave={() => setPart(null)}>
                <td>
                  {p.name.replace(/^.*-/, "")}
                  {p.files.length > 0 && <i> {p.files.map((k) => piece.recipe.files[k]?.name).join(" + ")}</i>}
                </td>
                <td>
                  {units.size(p.size_mm)}
                  <Lies part={printed.get(p.id)} />
                </td>
                <td>{p.fits.length ? p.fits.join(", ") : <Mark verdict="stops" word />}</td>
              </Box>
            ))}
          </tbody>
        </PlainTable>
      )}
      <Takes piece={piece} />
      {data && data.seams.length > 0 && (
        <PlainTable label="Seams" numbersFrom={2}>
          <thead>
            <tr>
              <th>Seam</th>
              <th>Shows</th>
              <th>Seen</th>
              {careful && <th>Relief, openings</th>}
            </tr>
          </thead>
          <tbody>
            {data.seams.map((s) => (
              <tr key={s.id}>
                <td>{s.parts.map((p) => p.replace(/^.*-/, "")).join(" to ")}</td>
                <td>{units.plain(s.cm, 0)} cm</td>
                <td>{units.plain(s.seen_cm, 0)} cm</td>
                {careful && <td>{units.plain(s.care_cm, 0)} cm</td>}
              </tr>
            ))}
          </tbody>
        </PlainTable>
      )}
    </>
  );
  return children({ stage, decisions });
}

/** How a part will lie, and what it takes so. */
function Lies({ part }: { part?: Schemas["PrintPart"] }) {
  const units = useUnits();
  if (!part) return null;
  return (
    <Typography variant="body2" color="text.secondary">
      lies {units.say(part.lying.called)}: {units.hours(part.lying.hours)}
      {part.lying.support_g >= 0.5 ? `, ${units.grams(part.lying.support_g)} of support` : ", no support"}
    </Typography>
  );
}

interface EntryProps {
  cut: Cut;
  number: number;
  chosen: boolean;
  onChoose: () => void;
  onRemove: () => void;
  onKeep: (cut: Cut) => void;
}

/** A plane in numbers: how far along its normal from the middle of the file, and how it is tilted. */
function PlaneEntry({ cut, number, chosen, onChoose, onRemove, onKeep }: EntryProps) {
  const trade = useTrade().data;
  const { inks } = useTheme().palette;
  const [x, y, z] = cut.normal;
  const along = cut.point.reduce((sum, v, i) => sum + v * cut.normal[i], 0);
  const rise = (Math.asin(Math.max(-1, Math.min(1, z))) * 180) / Math.PI;
  const round = (Math.atan2(y, x) * 180) / Math.PI;
  const tilt = (riseDeg: number, roundDeg: number) => {
    const [a, b] = [(riseDeg * Math.PI) / 180, (roundDeg * Math.PI) / 180];
    const normal = [Math.cos(a) * Math.cos(b), Math.cos(a) * Math.sin(b), Math.sin(a)];
    onKeep({ ...cut, normal });
  };
  const slide = (mm: number) => onKeep({ ...cut, point: cut.point.map((v, i) => v + (mm - along) * cut.normal[i]) });
  return (
    <Box
      sx={{ borderLeft: `4px solid ${chosen ? inks.chosen : inks.line}`, pl: 1 }}
      onFocus={onChoose}
      role="group"
      aria-label={`Plane ${number}`}
    >
      <Stack direction="row" sx={{ alignItems: "center" }}>
        <Button size="small" onClick={onChoose} sx={{ flex: 1, justifyContent: "flex-start" }}>
          Plane {number}
          {cut.limits.length ? `, on one side of ${cut.limits.map((limit) => String(limit[0]).replace("c", "")).join(", ")}` : ""}
        </Button>
        <Button size="small" color="error" onClick={onRemove}>
          Delete
        </Button>
      </Stack>
      {chosen && (
        <Stack direction="row" spacing={1} useFlexGap sx={{ pt: 0.75, flexWrap: "wrap" }}>
          <LengthField label="At" width={112} value={Number(along.toFixed(1))} onCommit={(v) => v !== null && slide(v)} />
          <NumberField label="Tilt" suffix="°" width={104} value={Number(rise.toFixed(1))} onCommit={(v) => v !== null && tilt(v, round)} />
          <NumberField
            label="Direction"
            suffix="°"
            width={104}
            value={Number(round.toFixed(1))}
            onCommit={(v) => v !== null && tilt(rise, v)}
          />
          <LengthField
            label="Bow over 100 mm"
            width={150}
            least={trade && -trade.most_bow_mm}
            most={trade?.most_bow_mm}
            value={cut.bow_mm}
            onCommit={(v) => v !== null && onKeep({ ...cut, bow_mm: v })}
          />
          {cut.bow_mm !== 0 && (
            <Button size="small" onClick={() => onKeep({ ...cut, bow_across: !cut.bow_across })}>
              Bow the other way
            </Button>
          )}
        </Stack>
      )}
    </Box>
  );
}
