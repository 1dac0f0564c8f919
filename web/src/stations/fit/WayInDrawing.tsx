/** The tight ring of the way in: the piece's inside there, and what has to pass it. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";
import { Mark } from "../../parts/Mark";
import { useUnits } from "../../parts/units";

export function WayInDrawing({ way }: { way: Schemas["WayIn"] }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const ring = way.ring;
  const ink = way.passes ? inks.holds : inks.stops;
  return (
    <Box sx={{ p: 2, flex: 1, display: "flex", flexDirection: "column", minHeight: 0 }}>
      <Typography variant="h2" component="p">
        <Mark verdict={way.passes ? "holds" : "stops"} /> {way.passes ? "It can be put on" : "It cannot be put on"}
      </Typography>
      <Typography>{units.say(way.reason)}</Typography>
      {ring && (
        <>
          <Ring ring={ring} ink={ink} />
          <Typography variant="body2" color="text.secondary">
            Seen along the way it goes on, {units.length(ring.at_mm)} above the lower edge. Thick: the piece’s inside,{" "}
            {units.plainLength(ring.piece_mm[0])} × {units.length(ring.piece_mm[1])}. Filled: {ring.body},{" "}
            {units.plainLength(ring.body_mm[0])} × {units.length(ring.body_mm[1])}
            {ring.tilt_deg !== 0 && `, tilted by ${Math.abs(ring.tilt_deg)}° ${ring.tilt_deg < 0 ? "back" : "forward"}, which serves best`}.
            Where the two cross, it does not pass.
          </Typography>
        </>
      )}
    </Box>
  );
}

function Ring({ ring, ink }: { ring: NonNullable<Schemas["WayIn"]["ring"]>; ink: string }) {
  const { inks } = useTheme().palette;
  const all = [...ring.outline_mm, ...ring.body_outline_mm];
  const [x0, x1] = [Math.min(...all.map((p) => p[0])), Math.max(...all.map((p) => p[0]))];
  const [y0, y1] = [Math.min(...all.map((p) => p[1])), Math.max(...all.map((p) => p[1]))];
  const rim = 0.08 * (x1 - x0 + y1 - y0);
  const stroke = (x1 - x0) / 110;
  const points = (run: number[][]) => run.map(([x, y]) => `${x},${-y}`).join(" ");
  return (
    <svg
      viewBox={`${x0 - rim} ${-y1 - rim} ${x1 - x0 + 2 * rim} ${y1 - y0 + 2 * rim}`}
      style={{ flex: 1, minHeight: 220 }}
      role="img"
      aria-label={`Tight ring: ${ring.body}`}
    >
      <polygon points={points(ring.body_outline_mm)} fill={inks.parts[1]} stroke={inks.ink} strokeWidth={stroke * 0.7} />
      <polyline points={points(ring.outline_mm)} fill="none" stroke={ink} strokeWidth={stroke * 1.8} strokeLinejoin="round" />
    </svg>
  );
}
