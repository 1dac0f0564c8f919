/** The calendar: a lane per printer, nights shaded, a bar per print. */
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

const DAY_MS = 86_400_000;
const WIDTH = 500;
const LANE = 30;
const LEFT = 84;

export function Lanes({ calendar, shop, piece }: { calendar: Schemas["Calendar"]; shop: Schemas["Shop"]; piece: number }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const printers = [...new Set(calendar.slots.map((s) => s.printer))].sort();
  if (!printers.length) return null;
  const begin = new Date(calendar.begin);
  const start = new Date(begin.getFullYear(), begin.getMonth(), begin.getDate()).getTime();
  const end = Math.max(...calendar.slots.map((s) => new Date(s.end).getTime())) + DAY_MS / 3;
  const at = (t: number) => LEFT + ((WIDTH - LEFT) * (t - start)) / (end - start);
  const days = Math.ceil((end - start) / DAY_MS);
  const [wake, sleep] = [shop.wake_from_h, shop.wake_to_h];
  const every = Math.max(1, Math.ceil(days / 8));
  return (
    <svg viewBox={`0 0 ${WIDTH} ${printers.length * LANE + 22}`} width="100%" role="img" aria-label={`Prints on ${printers.join(", ")}`}>
      {Array.from({ length: days }, (_, i) => {
        const day = start + i * DAY_MS;
        return (
          <g key={i}>
            <rect
              x={at(day)}
              width={Math.max(at(Math.min(day + (wake / 24) * DAY_MS, end)) - at(day), 0)}
              y={0}
              height={printers.length * LANE}
              fill={inks.night}
            />
            <rect
              x={at(Math.min(day + (sleep / 24) * DAY_MS, end))}
              width={Math.max(at(Math.min(day + DAY_MS, end)) - at(Math.min(day + (sleep / 24) * DAY_MS, end)), 0)}
              y={0}
              height={printers.length * LANE}
              fill={inks.night}
            />
            {i % every === 0 && (
              <text x={at(day) + 2} y={printers.length * LANE + 15} fontSize={11} fill={inks.faint}>
                {new Date(day).toLocaleDateString("en-GB", { day: "numeric", month: "short" })}
              </text>
            )}
          </g>
        );
      })}
      {printers.map((name, lane) => (
        <g key={name}>
          <text x={0} y={lane * LANE + 19} fontSize={12} fontWeight={600} fill={inks.ink}>
            {name}
          </text>
          <line x1={LEFT} x2={WIDTH} y1={(lane + 1) * LANE} y2={(lane + 1) * LANE} stroke={inks.line} />
          {calendar.slots
            .filter((s) => s.printer === name)
            .map((s) => {
              const [a, b] = [at(new Date(s.start).getTime()), at(new Date(s.end).getTime())];
              const mine = s.pieces.includes(piece);
              return (
                <rect
                  key={`${s.piece}/${s.part}/${s.start}`}
                  x={a}
                  y={lane * LANE + 6}
                  width={Math.max(b - a - 1, 1)}
                  height={LANE - 11}
                  fill={mine ? inks.ink : inks.parts[0]}
                  stroke={inks.ink}
                  strokeWidth={0.5}
                >
                  <title>{`${s.part}: ${units.moment(s.start)} to ${units.moment(s.end)}`}</title>
                </rect>
              );
            })}
        </g>
      ))}
    </svg>
  );
}
