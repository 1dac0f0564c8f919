/** One part as it lies, in three dimensions with what holds it up, and the other ways it could lie: what each takes and what counts against it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { Fragment, useState } from "react";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";
import { LazyStage } from "../../stage/LazyStage";

type Part = Schemas["PrintPart"];

interface Props {
  piece: Detail;
  part: Part;
  change: (change: Change) => void;
}

export function PartLying({ piece, part, change }: Props) {
  const units = useUnits();
  const trade = useTrade().data;
  const deepMm = trade?.primer_fills_mm ?? 0;
  const { inks } = useTheme().palette;
  const [sanding, setSanding] = useState(false);
  const [layers, setLayers] = useState(true);
  const [touching, setTouching] = useState<"face" | "spared" | "held" | null>(null);
  const letter = part.name.replace(/^.*-/, "");
  const others = piece.recipe.lying.filter((l) => l.part !== part.id);
  const places = PLACES.flatMap(([list, words]) =>
    piece.recipe[list].filter((place) => place.part === part.id).map((place, k) => ({ list, words, place, k })),
  );
  const lay = (down: number[]) => change({ lying: [...others, { part: part.id, down }] });
  /** From the part as it lies back to the piece as it stands: a direction, or a place. */
  const standing = (v: readonly number[], place: 0 | 1) =>
    part.transform.slice(0, 3).map((row) => row[0] * v[0] + row[1] * v[1] + row[2] * v[2] + row[3] * place);
  /** The face that was touched goes down, or no support goes where it was touched. */
  const onFace = (normal: [number, number, number], at: [number, number, number]) => {
    setTouching(null);
    if (touching === "face") lay(standing(normal, 0));
    else if (touching)
      change({ [touching]: [...piece.recipe[touching], { part: part.id, at_mm: standing(at, 1), radius_mm: trade?.spot_mm ?? 0 }] });
  };
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, borderTop: `2px solid ${inks.ink}`, mt: 1.5, pt: 1 }}>
      <Box
        sx={{
          flex: "1.25 1 380px",
          minWidth: 300,
          display: "flex",
          flexDirection: "column",
          height: 470,
          position: "sticky",
          top: 0,
          alignSelf: "flex-start",
        }}
      >
        <Stack direction="row" spacing={1} sx={{ justifyContent: "flex-end" }}>
          {(
            [
              ["face", "Lay it on a face"],
              ["held", "Support here"],
              ["spared", "No support here"],
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
        <Box sx={{ position: "relative", flex: 1, minHeight: 0 }}>
          <LazyStage
            file={piece.files.laid}
            label={`${part.name} as it lies, with its supports`}
            only={[part.name, `${part.name} support`]}
            seeThrough={sanding ? undefined : part.name}
            tinted={`${part.name} support`}
            onFace={touching ? onFace : undefined}
            layerMm={layers ? (part.of_resin ? undefined : piece.recipe.layer_mm) : undefined}
            sanding={sanding ? { deepMm, mostMm: Math.max(part.sanding.deepest_mm, 2 * deepMm) } : undefined}
          />
        </Box>
        <Stack direction="row" sx={{ flexWrap: "wrap", alignItems: "center" }}>
          <FormControlLabel
            control={<Switch size="small" checked={sanding} onChange={(_, on) => setSanding(on)} />}
            label="What will need sanding"
          />
          <FormControlLabel control={<Switch size="small" checked={layers} onChange={(_, on) => setLayers(on)} />} label="Layers" />
          <Stack direction="row" sx={{ ml: "auto", alignItems: "center" }} role="group" aria-label={`Tip it by ${TIP_DEG}°`}>
            <Typography variant="body2" color="text.secondary">
              Tip it {TIP_DEG}°
            </Typography>
            {TIPS.map(([name, x, y]) => (
              <Button
                key={name}
                size="small"
                aria-label={`Tip it ${name}`}
                onClick={() => lay(standing([x * SIN, y * SIN, -COS], 0))}
                sx={{ minWidth: 40 }}
              >
                {name}
              </Button>
            ))}
          </Stack>
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
        {places.map(({ list, words, place, k }) => (
          <Typography key={list + place.at_mm.join()} variant="body2">
            {words} {units.length(place.radius_mm)} round place {k + 1}.{" "}
            <Button size="small" onClick={() => change({ [list]: piece.recipe[list].filter((s) => s !== place) })}>
              Take it back
            </Button>
          </Typography>
        ))}
        {part.turned.map((turned) => (
          <Typography key={turned.file_3mf} variant="body2">
            On {Object.keys(turned.on).join(" and ")} it does not fit so: there it lies {units.say(turned.lying.called)},{" "}
            {units.hours(turned.lying.hours)}, {units.grams(turned.lying.support_g)} of support, from a file of its own.
          </Typography>
        ))}
        {part.forming && <FormingLine piece={piece} part={part} change={change} />}
        {part.resin && <ResinLine piece={piece} part={part} change={change} />}
        <PlainTable label={`Ways for ${letter} to lie`} small>
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
              <Fragment key={way.down.join()}>
                <Box component="tr" sx={{ fontWeight: k === 0 ? 600 : 400, "& td": { border: "0 !important", pb: "0 !important" } }}>
                  <td>{units.say(way.called)}</td>
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
                <tr>
                  <Typography component="td" variant="body2" color="text.secondary" colSpan={4}>
                    {way.terms.map((t) => units.say(t.text)).join(", ")}
                  </Typography>
                </tr>
              </Fragment>
            ))}
          </tbody>
        </PlainTable>
      </Box>
    </Box>
  );
}

const PLACES = [
  ["spared", "No support"],
  ["held", "Support"],
] as const;
const TIP_DEG = 15;
const [SIN, COS] = [Math.sin((TIP_DEG * Math.PI) / 180), Math.cos((TIP_DEG * Math.PI) / 180)];
/** Which way the part is tipped on the bed as one looks at it, and where its underside goes to then. */
const TIPS = [
  ["left", 1, 0],
  ["right", -1, 0],
  ["back", 0, -1],
  ["forth", 0, 1],
] as const;

/** What the part takes in resin, and the choice of it. */
function ResinLine({ piece, part, change }: Props) {
  const units = useUnits();
  const { resin } = part;
  if (!resin) return null;
  const others = piece.recipe.resin.filter((id) => id !== part.id);
  return (
    <Typography variant="body2" sx={{ mt: 0.5 }}>
      {part.of_resin ? "Made of resin" : "In resin"}: {units.hours(resin.hours)} on {resin.printer}, {units.plain(resin.ml, 0)} ml
      {resin.hollow && ", hollow with two drains"}, {units.hours(resin.hands_h)} of hands with washing and curing
      {part.of_resin ? "" : ` instead of ${units.hours(part.hands_h)}`}; no steps to sand
      {resin.brittle && resin.thinnest_mm !== null && `. Brittle: walls of ${units.length(resin.thinnest_mm, 1)}`}.{" "}
      <Button size="small" onClick={() => change({ resin: part.of_resin ? others : [...others, part.id] })}>
        {part.of_resin ? "Make it of filament" : "Make it of resin"}
      </Button>
    </Typography>
  );
}

/** What a thin plate takes printed flat and formed with heat, and the choice of it. */
function FormingLine({ piece, part, change }: Props) {
  const units = useUnits();
  const { forming } = part;
  if (!forming) return null;
  const others = piece.recipe.formed.filter((id) => id !== part.id);
  return (
    <Typography variant="body2" sx={{ mt: 0.5 }}>
      Printed flat and formed with heat: {units.hours(forming.flat_h)} and {units.hours(forming.former_h)} for a former that serves again
      {!forming.chosen && part.hours !== null && `, instead of ${units.hours(part.hours)}`}; {units.grams(forming.filament_g)} in all. Its
      length changes by up to {units.percent(forming.stretch)}
      {forming.off_mm > 0.5 && `, it lies up to ${units.length(forming.off_mm, 1)} off the former`}; relief is lost. Heat gun: gloves, fresh
      air, a trial on scrap first.{" "}
      <Button size="small" onClick={() => change({ formed: forming.chosen ? others : [...others, part.id] })}>
        {forming.chosen ? "Print it as it is worn" : "Print it flat"}
      </Button>
    </Typography>
  );
}
