/** Looking down on the level where the head is widest: shell inside, padding, head, with the room each way. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Detail, Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

interface Props {
  piece: Detail;
  head: Schemas["Head"];
  breadth?: number;
  length?: number;
}

export function HeadDrawing({ piece, head, breadth, length }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [sx, sy] = piece.fit!.scale;
  const b = breadth ?? head.needed_breadth_mm - 2 * (piece.recipe.pad_mm ?? 8);
  const l = length ?? head.needed_length_mm - 2 * (piece.recipe.pad_mm ?? 8);
  const pad = piece.recipe.pad_mm ?? 8;
  const shell = head.inside.outline_mm.map(([x, y]) => [x * sx, y * sy]);
  const reach = Math.max(head.inside_length_mm, head.inside_breadth_mm, l + 2 * pad) / 2 + 46;
  // The front of the piece is toward -y and drawn at the bottom, as one looks down on a head facing the reader.
  const path = shell.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)},${(-y).toFixed(1)}`).join("") + "Z";
  const inkFor = (room: number) => (room < 0 || room < Math.min(3, pad) ? inks.stops : room < pad - 0.05 ? inks.tight : inks.holds);
  const side = head.room_sides_mm;
  const front = head.room_front_back_mm;
  const font = reach / 17;
  return (
    <Box sx={{ p: 2, flex: 1, display: "flex", flexDirection: "column", minHeight: 0 }}>
      <Typography variant="h2" component="p">
        From above, where the head is widest
      </Typography>
      <Box
        component="svg"
        viewBox={`${-reach * 1.45} ${-reach} ${reach * 2.9} ${reach * 2}`}
        role="img"
        aria-label={`Head ${units.length(b, 1)} by ${units.length(l, 1)} in an inside of ${units.length(head.inside_breadth_mm, 1)} by ${units.length(head.inside_length_mm, 1)}`}
        sx={{ flex: 1, minHeight: 0, width: "100%" }}
      >
        <path d={path} fill={inks.sheet} stroke={inks.ink} strokeWidth={2.4} />
        <ellipse rx={b / 2 + pad} ry={l / 2 + pad} fill="none" stroke={inks.faint} strokeDasharray="3 4" strokeWidth={1} />
        <ellipse rx={b / 2} ry={l / 2} fill={inks.parts[1]} stroke={inks.ink} strokeWidth={1} />
        <path d={`M-9,${l / 2 - 3}Q0,${l / 2 + 14} 9,${l / 2 - 3}`} fill={inks.parts[1]} stroke={inks.ink} strokeWidth={1} />
        <text textAnchor="middle" y={-font * 0.2} fontSize={font} fill={inks.ink}>
          {piece.wearer?.name}
        </text>
        <text textAnchor="middle" y={font * 1.2} fontSize={font * 0.9} fill={inks.ink}>
          {units.plainLength(b)} × {units.length(l)}
        </text>
        <g stroke={inkFor(side)} strokeWidth={1.6}>
          <line x1={b / 2} x2={head.inside_breadth_mm / 2} y1={0} y2={0} />
          <line x1={-b / 2} x2={-head.inside_breadth_mm / 2} y1={0} y2={0} />
        </g>
        <g stroke={inkFor(front)} strokeWidth={1.6}>
          <line y1={-l / 2} y2={-head.inside_length_mm / 2} x1={0} x2={0} />
        </g>
        <g fontSize={font} fontWeight={600}>
          <text x={Math.max(head.inside_breadth_mm / 2, b / 2 + pad) + font * 0.6} y={font * 0.35} fill={inkFor(side)}>
            {units.length(side, 1)} room
          </text>
          <text textAnchor="middle" x={0} y={-Math.max(head.inside_length_mm / 2, l / 2 + pad) - font * 0.6} fill={inkFor(front)}>
            {units.length(front, 1)} room
          </text>
        </g>
        <text textAnchor="middle" y={reach - 4} fontSize={font * 0.85} fill={inks.faint} fontStyle="italic">
          front
        </text>
      </Box>
      <Typography variant="body2" color="text.secondary">
        Thick line: the shell’s inside, measured by rays at {units.length(head.inside.height_mm * piece.fit!.scale[2])} above its rim,{" "}
        {units.length(head.inside_breadth_mm, 1)} × {units.length(head.inside_length_mm, 1)}. Dashed: head and {units.length(pad)} of
        padding. Below {units.percent(head.bare_scale)} the bare head does not go in.
      </Typography>
    </Box>
  );
}
