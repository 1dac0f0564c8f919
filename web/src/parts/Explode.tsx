/** How far the parts are pulled from each other, over the lower left of a stage. */
import Box from "@mui/material/Box";
import Slider from "@mui/material/Slider";
import Typography from "@mui/material/Typography";

export function Explode({ value, onChange, width }: { value: number; onChange: (to: number) => void; width: number }) {
  return (
    <Box sx={{ position: "absolute", left: 20, bottom: 12, width }}>
      <Typography variant="caption" id="apart">
        Exploded view
      </Typography>
      <Slider aria-labelledby="apart" min={0} max={1} step={0.02} value={value} onChange={(_, v) => onChange(v as number)} size="small" />
    </Box>
  );
}
