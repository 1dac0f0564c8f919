/** The hours at the bench, day by day: what the hands do, and what sets or dries meanwhile. Nights are narrow. */
import { useTheme } from "@mui/material/styles";
import { useWidth } from "./useWidth";

const NIGHT = 22;
const TOP = 16;
const HANDS = 26;
const WAIT = 7;
const LANES = 4;

/** A work: when hands begin and end it (hours from the first day's beginning), and how long it then sets or dries. */
export interface LaneStep {
  key: string;
  start_h: number;
  end_h: number;
  handle_h: number;
  /** What it is called in the list; its place where it has no other number. */
  number?: number;
  /** Whether it may turn out that something has to be made anew. */
  fails?: number;
}

interface Props {
  steps: LaneStep[];
  bench: number;
  /** Hour of the day at which it begins. */
  from: number;
  chosen: number;
  onChoose: (index: number) => void;
}

/** Waits in as few lanes as they need, up to LANES: [step, lane]. */
function lanesOf(steps: LaneStep[]): [number, number][] {
  const until: number[] = Array<number>(LANES).fill(-1);
  return steps.flatMap((s, i) => {
    if (!s.handle_h) return [];
    const lane = Math.max(
      until.findIndex((u) => u <= s.end_h),
      0,
    );
    until[lane] = s.end_h + s.handle_h;
    return [[i, lane] as [number, number]];
  });
}

export function BenchLane({ steps, bench, from, chosen, onChoose }: Props) {
  const { inks } = useTheme().palette;
  const [place, width] = useWidth(880);
  const days = Math.max(1, ...steps.map((s) => Math.floor((s.end_h - 1e-6) / 24) + 1));
  const wide = Math.max((width - NIGHT * (days - 1)) / days, 40);
  const at = (hour: number) => {
    const day = Math.floor(hour / 24);
    const into = hour - 24 * day;
    const night = Math.min(Math.max(into - bench, 0) / (24 - bench), 1);
    return Math.min(day * (wide + NIGHT) + (wide * Math.min(into, bench)) / bench + night * NIGHT, width);
  };
  const lanes = lanesOf(steps);
  const high = TOP + HANDS + 4 + LANES * WAIT;
  const clock = (h: number) => `${String(Math.floor(h) % 24).padStart(2, "0")}:${String(Math.round((h % 1) * 60)).padStart(2, "0")}`;
  return (
    <div ref={place} style={{ overflowX: "auto" }}>
      <svg
        viewBox={`0 0 ${width} ${high}`}
        width={width}
        height={high}
        role="group"
        aria-label="Hours at the bench"
        style={{ display: "block" }}
      >
        {Array.from({ length: days }, (_, d) => (
          <g key={d}>
            <text x={d * (wide + NIGHT) + 2} y={11} fontSize={11} fill={inks.faint}>
              Day {d + 1}
              {wide > 110 && `, ${clock(from)} to ${clock(from + bench)}`}
            </text>
            <rect x={d * (wide + NIGHT)} width={wide} y={TOP} height={HANDS} fill="none" stroke={inks.line} />
            {d > 0 && <rect x={d * (wide + NIGHT) - NIGHT} width={NIGHT} y={TOP} height={high - TOP} fill={inks.night} />}
          </g>
        ))}
        {lanes.map(([i, lane]) => {
          const s = steps[i];
          const [a, b] = [at(s.end_h), at(s.end_h + s.handle_h)];
          return (
            <rect
              key={`w${i}`}
              x={a}
              width={Math.max(b - a, 2)}
              y={TOP + HANDS + 4 + lane * WAIT}
              height={WAIT - 2.5}
              fill={i === chosen ? inks.chosen : inks.tight}
              opacity={i === chosen ? 1 : 0.55}
            >
              <title>{`${s.number ?? i + 1} sets until ${s.handle_h} h after`}</title>
            </rect>
          );
        })}
        {steps.map((s, i) => {
          const [a, b] = [at(s.start_h), at(Math.max(s.end_h - 1e-6, s.start_h))];
          return (
            <g
              key={s.key}
              role="button"
              tabIndex={-1}
              aria-label={`Step ${s.number ?? i + 1}`}
              onClick={() => onChoose(i)}
              style={{ cursor: "pointer" }}
            >
              <rect
                x={a + 0.5}
                width={Math.max(b - a - 1, 2)}
                y={TOP + 1.5}
                height={HANDS - 3}
                fill={i === chosen ? inks.chosen : s.fails ? inks.tight : inks.holds}
                opacity={i === chosen ? 1 : 0.75}
              />
              {b - a > 17 && (
                <text x={(a + b) / 2} y={TOP + HANDS / 2 + 4} fontSize={11} fontWeight={700} textAnchor="middle" fill={inks.sheet}>
                  {s.number ?? i + 1}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </div>
  );
}
