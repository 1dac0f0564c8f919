/** A limb, head or trunk as a row of sections: body inside piece, from the upper edge down. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

export function Sections({ sections }: { sections: Schemas["Section"][] }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const reach = Math.max(40, ...sections.flatMap((s) => [...s.shell.flat().flat(), ...s.body.flat()].map(Math.abs)));
  return (
    <Box sx={{ p: 2, display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(230px, 1fr))", gap: 1.5 }}>
      {[...sections].reverse().map((s) => (
        <Box key={s.at_mm} component="figure" sx={{ m: 0 }}>
          <svg
            viewBox={`${-reach} ${-reach} ${2 * reach} ${2 * reach}`}
            width="100%"
            role="img"
            aria-label={`Section ${units.length(s.at_mm)} above the lower edge`}
          >
            {s.body.length > 0 && (
              <polygon
                points={s.body.map(([x, y]) => `${x},${-y}`).join(" ")}
                fill={inks.parts[1]}
                stroke={inks.ink}
                strokeWidth={reach / 160}
              />
            )}
            {s.shell.map((run, i) => (
              <path
                key={i}
                d={run.map(([x1, y1, x2, y2]) => `M${x1},${-y1}L${x2},${-y2}`).join("")}
                stroke={inks.chosen}
                strokeWidth={reach / 90}
                fill="none"
              />
            ))}
          </svg>
          <Typography component="figcaption" variant="body2" color="text.secondary" sx={{ textAlign: "center" }}>
            {units.length(s.at_mm)} above the lower edge; front below
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
