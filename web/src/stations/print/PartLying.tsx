/** One part as it lies, in three dimensions with what holds it up, and the other ways it could lie: what each takes and what counts against it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
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
/** How far round a place that is touched no support goes. */
const SPARED_MM = 15;

interface Props {
  piece: Detail;
  part: Part;
  change: (change: Change) => void;
}

export function PartLying({ piece, part, change }: Props) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const [sanding, setSanding] = useState(false);
  const [touching, setTouching] = useState<"face" | "spare" | null>(null);
  const letter = part.name.replace(/^.*-/, "");
  const others = piece.recipe.lying.filter((l) => l.part !== part.id);
  const spared = piece.recipe.spared.filter((s) => s.part === part.id);
  const lay = (down: number[]) => change({ lying: [...others, { part: part.id, down }] });
  /** From the part as it lies back to the piece as it stands: a direction, or a place. */
  const standing = (v: readonly number[], place: 0 | 1) =>
    part.transform.slice(0, 3).map((row) => row[0] * v[0] + row[1] * v[1] + row[2] * v[2] + row[3] * place);
  /** The face that was touched goes down, or no support goes where it was touched. */
  const onFace = (normal: [number, number, number], at: [number, number, number]) => {
    setTouching(null);
    if (touching === "face") lay(standing(normal, 0));
    else change({ spared: [...piece.recipe.spared, { part: part.id, at_mm: standing(at, 1), radius_mm: SPARED_MM }] });
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
        <Stack direction="row" spacing={1} sx={{ position: "absolute", right: 8, top: 0 }}>
          {(
            [
              ["face", "Lay it on a face"],
              ["spare", "No support here"],
            ] as const
          ).map(([what, words]) => (
            <Button
              key={what}
              size="small"
              variant={touching === what ? "contained" : "outlined"}
              aria-pressed={touching === what}
              onClick={() => setTouching(touching === what ? null : what)}
            >
              {touching === what ? "Touch the part" : words}
            </Button>
          ))}
        </Stack>
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
        {spared.map((place, k) => (
          <Typography key={place.at_mm.join()} variant="body2">
            No support {units.length(place.radius_mm)} round place {k + 1}.{" "}
            <Button size="small" onClick={() => change({ spared: piece.recipe.spared.filter((s) => s !== place) })}>
              Hold it again
            </Button>
          </Typography>
        ))}
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
