/** How layer height moves the hours; loaded only where it is shown. */
import { useTheme } from "@mui/material/styles";
import { BarChart } from "@mui/x-charts/BarChart";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

export default function LayerChart({ sweep, current }: { sweep: Schemas["Sweep"][]; current: number }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const names = sweep.map((s) => units.plain(s.layer_mm, 2));
  return (
    <BarChart
      height={190}
      hideLegend
      xAxis={[
        {
          data: names,
          scaleType: "band",
          label: "layer height, mm",
          colorMap: {
            type: "ordinal",
            values: names,
            colors: sweep.map((s) => (Math.abs(s.layer_mm - current) < 1e-6 ? inks.chosen : inks.line)),
          },
        },
      ]}
      yAxis={[{ label: "hours", width: 48 }]}
      series={[
        {
          data: sweep.map((s) => s.hours),
          valueFormatter: (v, { dataIndex }) =>
            v === null ? "" : `${units.hours(v)}, and ${units.hours(sweep[dataIndex].hands_h)} of hands`,
        },
      ]}
      slotProps={{ tooltip: { trigger: "item" } }}
      skipAnimation
    />
  );
}
