/** Two outlines of one piece to one scale: what is kept in pale ink, what is tried dashed over it. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import type { Row } from "../api/client";
import { boxOf } from "../parts/Silhouette";

/** Strokes of what is tried: dashed like pencil, in any drawing whose unit is given in pixels. */
export const pencil = (perPx: number) => ({ strokeDasharray: `${6 * perPx} ${4 * perPx}`, strokeWidth: 1.8 * perPx, fill: "none" });

type Outlined = Pick<Row, "silhouette" | "scale">;

interface Props {
  kept: Outlined;
  /** Nothing where what is kept is drawn alone. */
  tried?: Outlined;
  width: number;
  height: number;
  label: string;
}

export function Pencil({ kept, tried, width, height, label }: Props) {
  const { inks } = useTheme().palette;
  const [first, second] = [kept, tried ?? kept].map(({ scale }) => [scale?.[0] ?? 1, scale?.[2] ?? 1]);
  const boxes = [kept, tried ?? kept].flatMap(({ silhouette }, i) => {
    const box = boxOf(silhouette);
    const [x, z] = i ? second : first;
    return box ? [[box[0] * x, box[1] * z, box[2] * x, box[3] * z]] : [];
  });
  if (boxes.length === 0) return null;
  const left = Math.min(...boxes.map((b) => b[0]));
  const top = Math.min(...boxes.map((b) => b[1]));
  const right = Math.max(...boxes.map((b) => b[0] + b[2]));
  const low = Math.max(...boxes.map((b) => b[1] + b[3]));
  const rim = 0.04 * Math.max(right - left, low - top);
  const perPx = Math.max((right - left + 2 * rim) / width, (low - top + 2 * rim) / height);
  return (
    <Box
      component="svg"
      role="img"
      aria-label={label}
      viewBox={`${left - rim} ${top - rim} ${right - left + 2 * rim} ${low - top + 2 * rim}`}
      sx={{ width, height, display: "block" }}
    >
      <path d={kept.silhouette} transform={`scale(${first.join()})`} fill={tried ? inks.line : inks.ink} fillRule="evenodd" />
      {tried && (
        <path d={tried.silhouette} transform={`scale(${second.join()})`} stroke={inks.chosen} {...pencil(perPx / Math.max(...second))} />
      )}
    </Box>
  );
}
