/** A step as it is drawn: what is new in ink, what stands already pale, an arrow for the way it comes. */
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";

interface Props {
  drawing: Schemas["StepDrawing"];
  label: string;
  /** In the strip: heavier lines, no arrow head. */
  small?: boolean;
}

export function Drawing({ drawing, label, small }: Props) {
  const { inks } = useTheme().palette;
  const [x, y, w, h] = drawing.box;
  const unit = Math.max(w, h) / (small ? 90 : 520);
  const strokes = { new: inks.ink, stands: inks.faint, spot: inks.chosen };
  const widths = { new: small ? 0.9 : 1.7, stands: small ? 0.45 : 0.8, spot: small ? 1.2 : 2.6 };
  return (
    <svg viewBox={`${x} ${y} ${w} ${h}`} width="100%" height="100%" role="img" aria-label={label} style={{ display: "block" }}>
      {drawing.strokes.map((s, i) => (
        <path
          key={i}
          d={s.path}
          fillRule="evenodd"
          fill={!s.filled ? "none" : s.tone === "new" ? inks.sheet : inks.night}
          stroke={s.filled ? "none" : strokes[s.tone]}
          strokeWidth={unit * widths[s.tone]}
          strokeLinejoin="round"
        />
      ))}
      {drawing.arrow && <Arrow at={drawing.arrow} unit={unit} ink={inks.chosen} small={small} />}
    </svg>
  );
}

function Arrow({ at, unit, ink, small }: { at: readonly number[]; unit: number; ink: string; small?: boolean }) {
  const [x1, y1, x2, y2] = at;
  const length = Math.hypot(x2 - x1, y2 - y1) || 1;
  const [u, v] = [(x2 - x1) / length, (y2 - y1) / length];
  const head = unit * (small ? 5 : 13);
  const side = (k: number) => `${x2 - head * (u + k * 0.45 * v)},${y2 - head * (v - k * 0.45 * u)}`;
  return (
    <g stroke={ink} strokeWidth={unit * (small ? 1.3 : 3)} fill="none" strokeLinecap="round">
      <line x1={x1} y1={y1} x2={x2} y2={y2} />
      <polyline points={`${side(1)} ${x2},${y2} ${side(-1)}`} />
    </g>
  );
}
