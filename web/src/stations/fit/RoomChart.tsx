/** The curve itself; loaded only where it is shown. */
import { useTheme } from "@mui/material/styles";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { LineChart } from "@mui/x-charts/LineChart";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

interface Props {
  curve: Schemas["CurvePoint"][];
  marks: Schemas["Mark"][];
  chosen: number;
  asked: number;
}

export default function RoomChart({ curve, marks, chosen, asked }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  return (
    <LineChart
      height={260}
      hideLegend
      skipAnimation
      xAxis={[{ data: curve.map((p) => 100 * p.scale), scaleType: "linear", min: 85, max: 140, label: "scale, %" }]}
      yAxis={[{ label: "least room, mm", width: 56 }]}
      series={[
        {
          data: curve.map((p) => p.room_mm),
          color: inks.ink,
          showMark: false,
          valueFormatter: (v) => (v === null ? "" : units.length(v, 1)),
        },
      ]}
    >
      <ChartsReferenceLine y={0} lineStyle={{ stroke: inks.stops, strokeDasharray: "4 4" }} />
      {marks.map((m, i) => (
        <ChartsReferenceLine
          key={m.rule}
          x={100 * m.scale}
          label={m.rule}
          labelAlign={i % 2 ? "end" : "start"}
          lineStyle={{ stroke: inks.holds }}
          labelStyle={{ fill: inks.ink, fontSize: 12 }}
        />
      ))}
      <ChartsReferenceLine x={100 * chosen} lineStyle={{ stroke: inks.chosen, strokeWidth: 2 }} />
      <ChartsReferenceLine x={100 * asked} lineStyle={{ stroke: inks.chosen, strokeDasharray: "2 3" }} />
    </LineChart>
  );
}
