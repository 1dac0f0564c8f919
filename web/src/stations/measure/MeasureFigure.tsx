/** Our own line drawing of where a measurement is taken; it follows the field one is in. */
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";

interface Props {
  drawings: Schemas["Drawings"] | undefined;
  row: Schemas["SheetRow"] | Schemas["Measurement"] | undefined;
  height?: number;
}

const polyline = (points: number[][]) => points.map(([x, y]) => `${x},${y}`).join(" ");

export function MeasureFigure({ drawings, row, height = 400 }: Props) {
  const { inks } = useTheme().palette;
  const figure = row && drawings?.figures[row.key];
  if (!drawings) return <Typography color="text.secondary">Loading the drawing …</Typography>;
  if (!row || !figure) return <Typography color="text.secondary">Choose a line to see where it is taken.</Typography>;
  const box = drawings.boxes[figure.view];
  const stroke = box[3] / 260;
  const straight = figure.behind.length === 0;
  const [a, b] = [figure.front[0], figure.front[figure.front.length - 1]];
  // Jaws of the caliper, or ends of the tape, square to what they span.
  const length = Math.hypot(b[0] - a[0], b[1] - a[1]) || 1;
  const jaw = [(-(b[1] - a[1]) / length) * stroke * 7, ((b[0] - a[0]) / length) * stroke * 7];
  const bar = (p: number[]) => `M${p[0] - jaw[0]},${p[1] - jaw[1]}L${p[0] + jaw[0]},${p[1] + jaw[1]}`;
  return (
    <svg viewBox={box.join(" ")} height={height} style={{ maxWidth: "100%" }} role="img" aria-label={`Where ${row.name} is taken`}>
      <path d={drawings.outlines[figure.view]} fill={inks.sheet} stroke={inks.ink} strokeWidth={stroke * 0.8} fillRule="evenodd" />
      {!straight && (
        <polyline
          points={polyline(figure.behind)}
          fill="none"
          stroke={inks.chosen}
          strokeWidth={stroke * 1.3}
          strokeDasharray={`${stroke * 3} ${stroke * 3}`}
        />
      )}
      <polyline points={polyline(figure.front)} fill="none" stroke={inks.chosen} strokeWidth={stroke * 2.4} strokeLinejoin="round" />
      {straight && <path d={bar(a) + bar(b)} stroke={inks.chosen} strokeWidth={stroke * 2.4} strokeLinecap="round" />}
    </svg>
  );
}
