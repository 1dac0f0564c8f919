/** A lane per printer as wide as the page: nights shaded, what runs filled as far as it is, each plate a bar with the tail its chances leave. */
import { useTheme } from "@mui/material/styles";
import { useUnits } from "../parts/units";
import { useWidth } from "../parts/useWidth";
import type { Floor, Plate } from "./useFloor";

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
const LANE = 34;
const LEFT = 92;
const TOP = 18;

interface Props {
  floor: Floor;
  chosen: string | null;
  onChoose: (plate: string) => void;
}

export function FloorLanes({ floor, chosen, onChoose }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [place, width] = useWidth(1200);
  const time = (iso: string) => new Date(iso).getTime();
  const begin = new Date(floor.now);
  const start = new Date(begin.getFullYear(), begin.getMonth(), begin.getDate()).getTime();
  const last = Math.max(
    start + 3 * DAY_MS,
    ...floor.plates.flatMap((p) => (p.end ? [time(p.end)] : [])),
    ...floor.beds.flatMap((b) => (b.done_80 ? [time(b.done_80)] : [])),
    ...floor.running.map((r) => time(r.expected)),
  );
  const due = floor.due ? time(`${floor.due}T00:00`) : null;
  const end = (due !== null && due < last + 6 * DAY_MS && due > start ? Math.max(last, due) : last) + DAY_MS / 4;
  const at = (t: number) => LEFT + ((width - LEFT) * (Math.min(Math.max(t, start), end) - start)) / (end - start);
  const days = Math.ceil((end - start) / DAY_MS);
  const every = Math.max(1, Math.ceil((days * 62) / (width - LEFT)));
  const high = TOP + floor.beds.length * LANE;
  return (
    <div ref={place}>
      <svg
        viewBox={`0 0 ${width} ${high + 4}`}
        width="100%"
        style={{ display: "block" }}
        role="group"
        aria-label="Calendar of the printers"
      >
        {Array.from({ length: days }, (_, i) => {
          const day = start + i * DAY_MS;
          const iso = new Date(day + DAY_MS / 2).toISOString().slice(0, 10);
          const away = floor.away.includes(iso);
          const spans = away
            ? [[0, 24]]
            : [
                [0, floor.wake_from_h],
                [floor.wake_to_h, 24],
              ];
          return (
            <g key={i}>
              {spans.map(([a, b]) => (
                <rect
                  key={a}
                  x={at(day + a * HOUR_MS)}
                  width={Math.max(at(day + b * HOUR_MS) - at(day + a * HOUR_MS), 0)}
                  y={TOP}
                  height={high - TOP}
                  fill={inks.night}
                />
              ))}
              {i % every === 0 && (
                <text x={at(day) + 2} y={12} fontSize={11} fill={inks.faint}>
                  {new Date(day).toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short" })}
                  {away ? ", away" : ""}
                </text>
              )}
            </g>
          );
        })}
        {floor.beds.map((bed, lane) => {
          const y = TOP + lane * LANE;
          const run = floor.running.find((r) => r.printer === bed.name);
          const mine = floor.plates.filter((p) => p.printer === bed.name && p.start && p.end);
          return (
            <g key={bed.id}>
              <text x={0} y={y + 16} fontSize={13} fontWeight={600} fill={inks.ink}>
                {bed.name}
              </text>
              <text x={0} y={y + 29} fontSize={11} fill={inks.faint}>
                {run ? (run.state === "paused" ? "paused" : "printing") : bed.kind === "resin" ? "resin, free" : "free"}
              </text>
              <line x1={0} x2={width} y1={y + LANE} y2={y + LANE} stroke={inks.line} />
              {run && <RunBar run={run} y={y} at={at} />}
              {mine.map((p) => (
                <PlateBar key={p.id} plate={p} y={y} at={at} chosen={p.id === chosen} onChoose={onChoose} />
              ))}
              {bed.done_80 && mine.length > 0 && (
                <line
                  x1={at(Math.max(...mine.map((p) => time(p.end!))))}
                  x2={at(time(bed.done_80))}
                  y1={y + LANE / 2}
                  y2={y + LANE / 2}
                  stroke={inks.ink}
                  strokeDasharray="2 3"
                >
                  <title>{`${bed.name}: done by ${units.moment(bed.done_80)} with 80 %`}</title>
                </line>
              )}
            </g>
          );
        })}
        {due !== null && due <= end && (
          <g>
            <line x1={at(due)} x2={at(due)} y1={0} y2={high} stroke={inks.ink} strokeWidth={2} />
            <text x={at(due) - 5} y={12} fontSize={12} fontWeight={600} textAnchor="end" fill={inks.ink}>
              due
            </text>
          </g>
        )}
        <line x1={at(begin.getTime())} x2={at(begin.getTime())} y1={TOP - 4} y2={high} stroke={inks.chosen} strokeWidth={1.5} />
      </svg>
    </div>
  );
}

function RunBar({ run, y, at }: { run: Floor["running"][number]; y: number; at: (t: number) => number }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [a, b] = [at(new Date(run.started).getTime()), at(new Date(run.expected).getTime())];
  return (
    <g>
      <rect x={a} y={y + 5} width={Math.max(b - a, 3)} height={LANE - 10} fill={inks.ink} opacity={0.25} stroke={inks.ink} />
      <rect x={a} y={y + 5} width={Math.max((b - a) * (run.progress ?? 0), 2)} height={LANE - 10} fill={inks.ink} />
      <title>{`${run.name}: ${run.state}, done about ${units.moment(run.expected)}`}</title>
    </g>
  );
}

interface BarProps {
  plate: Plate;
  y: number;
  at: (t: number) => number;
  chosen: boolean;
  onChoose: (plate: string) => void;
}

function PlateBar({ plate, y, at, chosen, onChoose }: BarProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [a, b] = [at(new Date(plate.start!).getTime()), at(new Date(plate.end!).getTime())];
  const wide = Math.max(b - a - 1, 2);
  const short = plate.fed !== null && plate.fed.verdict !== "holds";
  const name = plate.name.replace("Plate ", "");
  return (
    <g
      role="button"
      tabIndex={0}
      aria-pressed={chosen}
      aria-label={`${plate.name} on ${plate.printer}, ${units.moment(plate.start!)} to ${units.moment(plate.end!)}`}
      style={{ cursor: "pointer" }}
      onClick={() => onChoose(plate.id)}
      onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && (e.preventDefault(), onChoose(plate.id))}
    >
      <rect
        x={a}
        y={y + 5}
        width={wide}
        height={LANE - 10}
        fill={chosen ? inks.chosen : plate.again ? inks.parts[3] : inks.parts[0]}
        stroke={short ? inks.stops : inks.ink}
        strokeWidth={short ? 2 : 0.6}
      />
      {plate.must && <rect x={a} y={y + 5} width={Math.min(3, wide)} height={LANE - 10} fill={inks.ink} />}
      {wide > 9 + 7 * name.length && (
        <text x={a + 6} y={y + 21} fontSize={12} fontWeight={600} fill={chosen ? inks.paper : "#1f2a33"}>
          {name}
        </text>
      )}
      <title>{`${plate.name}: ${units.moment(plate.start!)} to ${units.moment(plate.end!)}${plate.end_80 ? `, with 80 % by ${units.moment(plate.end_80)}` : ""}`}</title>
    </g>
  );
}
