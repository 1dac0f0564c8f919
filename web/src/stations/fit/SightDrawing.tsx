/** What the wearer sees through the eye opening, drawn over what a bare head sees. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useTrade, type Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

const STEP = 5;

export function SightDrawing({ sight }: { sight: Schemas["Sight"] }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const trade = useTrade();
  const [left, right] = sight.side_range_deg;
  const [down, up] = sight.up_range_deg;
  return (
    <Box sx={{ p: 2, flex: 1, display: "flex", flexDirection: "column", minHeight: 0 }}>
      <Typography variant="h2" component="p">
        Through the wearer’s eyes
      </Typography>
      <Box
        component="svg"
        viewBox={`${left - 8} ${-up - 6} ${right - left + 16} ${up - down + 18}`}
        role="img"
        aria-label={`Seen: ${sight.left_deg}° left, ${sight.right_deg}° right, ${sight.up_deg}° up, ${sight.down_deg}° down`}
        sx={{ flex: 1, minHeight: 0, width: "100%" }}
      >
        <rect x={left - STEP / 2} y={-up - STEP / 2} width={right - left + STEP} height={up - down + STEP} fill={inks.night} />
        {sight.grid.map((row, r) =>
          row.map(
            (eyes, c) =>
              eyes > 0 && (
                <rect
                  key={`${r}/${c}`}
                  x={left + c * STEP - STEP / 2}
                  y={-up + r * STEP - STEP / 2}
                  width={STEP + 0.1}
                  height={STEP + 0.1}
                  fill={inks.holds}
                  opacity={eyes === 2 ? 1 : 0.55}
                />
              ),
          ),
        )}
        <path d={`M${left},0H${right}M0,${-up}V${-down}`} stroke={inks.paper} strokeWidth={0.5} strokeDasharray="1.5 1.5" />
        {[-90, -45, 0, 45, 90].map((deg) => (
          <text key={deg} x={deg} y={-down + 10} fontSize={5} textAnchor="middle" fill={inks.ink}>
            {Math.abs(deg)}°
          </text>
        ))}
      </Box>
      <Typography>
        {sight.left_deg}° to the left, {sight.right_deg}° to the right, {sight.up_deg}° up, {sight.down_deg}° down;{" "}
        {units.percent(sight.share, 0)} of what a bare head sees ({sight.solid_angle_sr.toFixed(1)} sr).
      </Typography>
      <Typography variant="body2" color="text.secondary">
        Full: seen with both eyes; pale: with one. A matter of comfort and of safety: below {trade.data?.least_down_deg}° down, steps go
        unseen. Walk with a handler, and keep to the venue’s and local rules.
      </Typography>
    </Box>
  );
}
