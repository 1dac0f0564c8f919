/** How evenly a plate lies over scale, and how far off on the whole; loaded only where it is shown. */
import { useTheme } from "@mui/material/styles";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { LineChart } from "@mui/x-charts/LineChart";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

interface Props {
  plate: Schemas["PlateFit"];
  chosen: number;
  asked: number;
}

export default function PlateChart({ plate, chosen, asked }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const told = (v: number | null) => (v === null ? "" : units.length(v, 1));
  return (
    <LineChart
      height={260}
      skipAnimation
      xAxis={[{ data: plate.curve.map((p) => 100 * p.scale), scaleType: "linear", label: "scale, %" }]}
      yAxis={[{ label: "mm", width: 56 }]}
      series={[
        { label: "uneven by ±", data: plate.curve.map((p) => p.uneven_mm), color: inks.ink, showMark: false, valueFormatter: told },
        { label: "off on the whole", data: plate.curve.map((p) => p.even_mm), color: inks.holds, showMark: false, valueFormatter: told },
      ]}
    >
      <ChartsReferenceLine y={0} lineStyle={{ stroke: inks.stops, strokeDasharray: "4 4" }} />
      {[plate.from_scale, plate.to_scale].map((scale, i) => (
        <ChartsReferenceLine
          key={i}
          x={100 * scale}
          label={i ? "to" : "as even from"}
          labelAlign={i ? "end" : "start"}
          lineStyle={{ stroke: inks.holds }}
          labelStyle={{ fill: inks.ink, fontSize: 12 }}
        />
      ))}
      <ChartsReferenceLine x={100 * chosen} lineStyle={{ stroke: inks.chosen, strokeWidth: 2 }} />
      <ChartsReferenceLine x={100 * asked} lineStyle={{ stroke: inks.chosen, strokeDasharray: "2 3" }} />
    </LineChart>
  );
}
