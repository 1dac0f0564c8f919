/** From today to the due date: what the printers do on each day, where all is printed, what is left. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../api/client";
import { useUnits } from "../parts/units";
import { useWidth } from "../parts/useWidth";

const DAY_MS = 86_400_000;
const LABEL_PX = 56;

export function Runway({ calendar, due }: { calendar: Schemas["Calendar"]; due: string | null | undefined }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [place, width] = useWidth(1200);
  const begin = new Date(calendar.begin);
  const start = new Date(begin.getFullYear(), begin.getMonth(), begin.getDate()).getTime();
  const done = calendar.done_by ? new Date(calendar.done_by).getTime() : null;
  const dueAt = due ? new Date(`${due}T00:00`).getTime() : null;
  const end = Math.max(start + 14 * DAY_MS, (done ?? start) + 2 * DAY_MS, (dueAt ?? start) + 2 * DAY_MS);
  const at = (t: number) => (width * (t - start)) / (end - start);
  const days = Math.round((end - start) / DAY_MS);
  const late = calendar.days_late;
  const word = calendar.verdict;
  const colour = inks[word];
  const mondays = Math.ceil((days / 7) * (LABEL_PX / width));
  // Labels of weeks stand only as close as they can be read.
  const every = (date: Date) => Math.round((date.getTime() - start) / DAY_MS / 7) % Math.max(mondays, 1) === 0;
  const said = !done
    ? "Nothing is ready to print yet."
    : `All printed by ${units.moment(calendar.done_by!)}` +
      (late === null
        ? "."
        : late > 0
          ? `, ${units.count(late, "day")} late: ${word}.`
          : `, ${units.count(-late, "day")} before it is due: ${word}.`) +
      (calendar.in_time === null || !calendar.by_80
        ? ""
        : ` With 80 % by ${units.date(calendar.by_80)}; in time with ${units.percent(calendar.in_time, 0)}.`) +
      (calendar.missing.length ? ` Not counted: ${calendar.missing.join(", ")}.` : "");
  return (
    <Box sx={{ px: { xs: 1.5, lg: 2.5 }, pt: 0.5 }} role="region" aria-label="Runway">
      <div ref={place}>
        <svg viewBox={`0 0 ${width} 46`} width="100%" role="img" aria-label={said} style={{ display: "block" }}>
          <line x1={0} x2={width} y1={30} y2={30} stroke={inks.ink} strokeWidth={1} />
          {Array.from({ length: days + 1 }, (_, i) => {
            const date = new Date(start + i * DAY_MS);
            const monday = date.getDay() === 1;
            return (
              <g key={i}>
                <line
                  x1={at(date.getTime())}
                  x2={at(date.getTime())}
                  y1={monday ? 24 : 27}
                  y2={30}
                  stroke={inks.ink}
                  strokeWidth={monday ? 1.2 : 0.6}
                />
                {monday && every(date) && (
                  <text x={at(date.getTime()) + 3} y={43} fontSize={11} fill={inks.faint}>
                    {date.toLocaleDateString("en-GB", { day: "numeric", month: "short" })}
                  </text>
                )}
              </g>
            );
          })}
          {done && <rect x={at(begin.getTime())} y={30} width={Math.max(at(done) - at(begin.getTime()), 2)} height={4} fill={colour} />}
          {done && dueAt && dueAt > done && (
            <line x1={at(done)} x2={at(dueAt)} y1={18} y2={18} stroke={colour} strokeWidth={1} strokeDasharray="2 4" />
          )}
          {done && (
            <g>
              <line x1={at(done)} x2={at(done)} y1={8} y2={36} stroke={colour} strokeWidth={2} />
              <text x={at(done) + 5} y={14} fontSize={12} fontWeight={600} fill={colour}>
                prints done
              </text>
            </g>
          )}
          {done && calendar.by_80 && (
            <line
              x1={at(done)}
              x2={at(new Date(calendar.by_80).getTime())}
              y1={32}
              y2={32}
              stroke={colour}
              strokeWidth={4}
              strokeDasharray="2 3"
            >
              <title>{`with 80 % by ${units.date(calendar.by_80)}`}</title>
            </line>
          )}
          {dueAt && (
            <g>
              <path d={`M${at(dueAt)} 36V4l-16 5 16 5z`} fill={inks.ink} stroke={inks.ink} />
              <text x={at(dueAt) - 20} y={13} fontSize={12} fontWeight={600} textAnchor="end" fill={inks.ink}>
                due {units.date(due!)}
              </text>
            </g>
          )}
        </svg>
      </div>
      <Box sx={{ fontSize: 13, color: "text.secondary" }}>{said}</Box>
    </Box>
  );
}
