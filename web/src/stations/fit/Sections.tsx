/** A limb, head or trunk as a row of sections: body inside piece, from the upper edge down. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

interface Props {
  sections: Schemas["Section"][];
  /** What is kept, under a draft that is drawn in pencil. */
  kept?: Schemas["Section"][];
}

export function Sections({ sections, kept }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const reach = Math.max(40, ...sections.flatMap((s) => [...s.shell.flat().flat(), ...s.body.flat()].map(Math.abs)));
  // Sections are taken at equal shares of the height: the same number of each is the same place.
  const under = kept?.length === sections.length ? [...kept].reverse() : [];
  return (
    <Box sx={{ p: 2, display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(230px, 1fr))", gap: 1.5 }}>
      {[...sections].reverse().map((s, at) => (
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
            {under[at]?.shell.map((run, i) => (
              <path key={`kept ${i}`} d={outline(run)} stroke={inks.faint} strokeWidth={reach / 130} fill="none" />
            ))}
            {s.shell.map((run, i) => (
              <path
                key={i}
                d={outline(run)}
                stroke={inks.chosen}
                strokeWidth={reach / 90}
                fill="none"
                strokeDasharray={kept ? `${reach / 18} ${reach / 28}` : undefined}
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

const outline = (run: readonly (readonly number[])[]) => run.map(([x1, y1, x2, y2]) => `M${x1},${-y1}L${x2},${-y2}`).join("");
