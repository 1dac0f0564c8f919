/** One part as it lies, in three dimensions with what holds it up, and the other ways it could lie: what each takes and what counts against it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import type { Change, Detail, Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";
import { LazyStage } from "../../stage/LazyStage";

type Part = Schemas["PrintPart"];

/** Steps that primer fills, and those beyond which all is as bad. */
const [DEEP_MM, MOST_MM] = [0.05, 0.25];

interface Props {
  piece: Detail;
  part: Part;
  change: (change: Change) => void;
}

export function PartLying({ piece, part, change }: Props) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const [sanding, setSanding] = useState(false);
  const [touching, setTouching] = useState(false);
  const letter = part.name.replace(/^.*-/, "");
  const others = piece.recipe.lying.filter((l) => l.part !== part.id);
  const lay = (down: number[]) => change({ lying: [...others, { part: part.id, down }] });
  /** The face that was touched goes down: its normal, from the part as it lies back to the piece as it stands. */
  const onFace = (normal: [number, number, number]) => {
    setTouching(false);
    lay(part.transform.slice(0, 3).map((row) => row[0] * normal[0] + row[1] * normal[1] + row[2] * normal[2]));
  };
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, borderTop: `2px solid ${inks.ink}`, mt: 1.5, pt: 1 }}>
      <Box sx={{ position: "relative", flex: "1 1 320px", minWidth: 280, height: 330 }}>
        <LazyStage
          file={piece.files.laid}
          label={`${part.name} as it lies, with its supports`}
          only={[part.name, `${part.name} support`]}
          seeThrough={sanding ? undefined : part.name}
          tinted={`${part.name} support`}
          onFace={touching ? onFace : undefined}
          sanding={sanding ? { deepMm: DEEP_MM, mostMm: MOST_MM } : undefined}
        />
        <FormControlLabel
          sx={{ position: "absolute", left: 8, bottom: 0 }}
          control={<Switch size="small" checked={sanding} onChange={(_, on) => setSanding(on)} />}
          label="What will need sanding"
        />
        <Button
          size="small"
          variant={touching ? "contained" : "outlined"}
          aria-pressed={touching}
          sx={{ position: "absolute", right: 8, bottom: 4 }}
          onClick={() => setTouching(!touching)}
        >
          {touching ? "Touch the face" : "Lay it on a face"}
        </Button>
      </Box>
      <Box sx={{ flex: "1 1 300px", minWidth: 260 }}>
        <Typography variant="h3" component="h2">
          {letter} lies {units.say(part.lying.called)}
        </Typography>
        <Typography variant="body2">
          {part.held_mm2 > 1 ? `${units.area(part.held_mm2)} hang over air` : "Nothing hangs over air"}
          {part.stands_on_part > 0 && ", some supports stand on the part itself and leave scars there"}. Of{" "}
          {units.plain(part.sanding.shows_cm2, 0)} cm² that show, {units.plain(part.sanding.deep_cm2, 0)} cm² have steps that primer does
          not fill, the deepest {units.length(part.sanding.deepest_mm, 2)}
          {part.sanding.scars_cm2 >= 1 && `; ${units.plain(part.sanding.scars_cm2, 0)} cm² are scarred by supports`}.
        </Typography>
        <Box
          component="table"
          aria-label={`Ways for ${letter} to lie`}
          sx={{
            borderCollapse: "collapse",
            width: "100%",
            mt: 1,
            fontSize: 14,
            "& td, & th": { textAlign: "left", py: 0.5, pr: 1, borderBottom: `1px solid ${inks.line}`, verticalAlign: "top" },
          }}
        >
          <thead>
            <tr>
              <th>Lying</th>
              <th>Time</th>
              <th>Support</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {[part.lying, ...part.others].map((way, k) => (
              <Box component="tr" key={way.down.join()} sx={{ fontWeight: k === 0 ? 600 : 400 }}>
                <td>
                  {units.say(way.called)}
                  <Typography variant="body2" color="text.secondary">
                    {way.terms.map((t) => units.say(t.text)).join(", ")}
                  </Typography>
                </td>
                <td>
                  {k > 0 && "about "}
                  {units.hours(way.hours)}
                </td>
                <td>{units.grams(way.support_g)}</td>
                <td>
                  {k > 0 && way.fits && (
                    <Button size="small" variant="outlined" onClick={() => lay(way.down)}>
                      Lay it so
                    </Button>
                  )}
                  {k > 0 && !way.fits && "fits no bed"}
                  {k === 0 && part.by_hand && (
                    <Button size="small" onClick={() => change({ lying: others })}>
                      Best way
                    </Button>
                  )}
                </td>
              </Box>
            ))}
          </tbody>
        </Box>
      </Box>
    </Box>
  );
}
