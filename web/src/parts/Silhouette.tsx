/** A piece's own outline, drawn from its mesh, in millimetres. */
import { useTheme } from "@mui/material/styles";

export function boxOf(path: string): [number, number, number, number] | null {
  const numbers = path.match(/-?\d+(\.\d+)?/g)?.map(Number) ?? [];
  if (numbers.length < 6) return null;
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i + 1 < numbers.length; i += 2) {
    x0 = Math.min(x0, numbers[i]);
    x1 = Math.max(x1, numbers[i]);
    y0 = Math.min(y0, numbers[i + 1]);
    y1 = Math.max(y1, numbers[i + 1]);
  }
  return [x0, y0, x1 - x0, y1 - y0];
}

interface Props {
  path: string;
  width: number;
  height: number;
  label: string;
  fill?: string;
}

export function Silhouette({ path, width, height, label, fill }: Props) {
  const { inks } = useTheme().palette;
  const box = boxOf(path);
  if (!box) {
    return (
      <svg style={{ flexShrink: 0 }} width={width} height={height} viewBox="0 0 40 40" role="img" aria-label={`${label}, not computed yet`}>
        <rect x="8" y="8" width="24" height="24" fill="none" stroke={inks.line} strokeDasharray="3 3" />
      </svg>
    );
  }
  const rim = Math.max(box[2], box[3]) * 0.03;
  return (
    <svg
      style={{ flexShrink: 0 }}
      width={width}
      height={height}
      viewBox={`${box[0] - rim} ${box[1] - rim} ${box[2] + 2 * rim} ${box[3] + 2 * rim}`}
      role="img"
      aria-label={label}
    >
      <path d={path} fill={fill ?? inks.ink} fillRule="evenodd" />
    </svg>
  );
}
