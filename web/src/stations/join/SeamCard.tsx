/** One seam in the ledger: how it is held, its sizes, its glue. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";
import { Closing } from "./Closing";
import { heldOf, holding } from "./trying";

interface Props {
  piece: Detail;
  seam: Schemas["SeamRecord"];
  glue: Schemas["GlueRecord"] | null;
  change: (change: Change) => void;
}

export function SeamCard({ piece, seam, glue, change }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const trade = useTrade().data;
  const held = heldOf(seam);
  const keep = (next: Partial<Schemas["Held"]>) => change(holding(piece, seam, { ...held, ...next }));
  const sizes = sizesOf(seam, units);
  return (
    <Box role="group" aria-label={`Seam ${seam.number}`} sx={{ borderLeft: `4px solid ${inks.chosen}`, pl: 1.25 }}>
      <Typography variant="h3" component="h2">
        Seam {seam.number}: {seam.letters.replace("-", " to ")}
      </Typography>
      <Stack direction="row" spacing={1} sx={{ mt: 1.5 }}>
        <TextField
          select
          label="This seam"
          value={held.kind}
          onChange={(e) => keep({ kind: e.target.value as Schemas["JoinKindEnum"], at_mm: null })}
          sx={{ flex: 1, minWidth: 0 }}
        >
          {Object.entries(trade?.kinds ?? {}).map(([kind, label]) => (
            <MenuItem key={kind} value={kind}>
              {label}
            </MenuItem>
          ))}
        </TextField>
        {held.kind === "magnet" && (
          <TextField
            select
            label="Disc"
            value={held.magnet}
            onChange={(e) => keep({ magnet: e.target.value })}
            sx={{ width: 120 }}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          >
            <MenuItem value="">by its load</MenuItem>
            {[...new Set([...(trade?.discs ?? []), ...(held.magnet ? [held.magnet] : [])])].map((d) => (
              <MenuItem key={d} value={d}>
                {d} mm
              </MenuItem>
            ))}
          </TextField>
        )}
        {trade?.screwed.includes(held.kind) && (
          <TextField select label="Screw" value={held.thread} onChange={(e) => keep({ thread: e.target.value })} sx={{ width: 90 }}>
            {trade?.threads.map((t) => (
              <MenuItem key={t} value={t}>
                {t}
              </MenuItem>
            ))}
          </TextField>
        )}
      </Stack>
      <Stack direction="row" spacing={0.5} sx={{ flexWrap: "wrap" }} useFlexGap>
        {!["pin", "glue", "magnet"].includes(seam.kind) && (
          <Button size="small" onClick={() => keep({ turned: !held.turned, at_mm: null })}>
            Turn round
          </Button>
        )}
        {held.at_mm && (
          <Button size="small" onClick={() => keep({ at_mm: null })}>
            Find the places again
          </Button>
        )}
        {seam.named && (
          <Button size="small" onClick={() => change(holding(piece, seam, null))}>
            As all seams
          </Button>
        )}
      </Stack>
      {sizes.map((line) => (
        <Typography key={line} variant="body2">
          {line}
        </Typography>
      ))}
      {seam.closing && <Closing seam={seam} closing={seam.closing} />}
      {glue && (
        <Typography variant="body2" component="div">
          {glue.name}, {units.plain(glue.ml, 1)} ml: sets in {glue.sets_min} min, handle after {units.hours(glue.handle_h)}, full after{" "}
          {units.hours(glue.full_h)}. Hold it by tape or tacks at {glue.tapes} places
          {glue.weld_cm > 0 ? `, or melt in ${units.length(10 * glue.weld_cm)} of filament inside` : ""}.
          {!glue.suits && (
            <Box component="span" sx={{ color: inks.tight }}>
              {" "}
              It does not bond this material, or does not fill a gap of {units.length(glue.gap_mm, 2)}.
            </Box>
          )}
          {glue.safety < glue.wanted && (
            <Box component="span" sx={{ color: inks.tight }}>
              {" "}
              Glued faces alone hold {units.plain(glue.safety, 1)} times a knock; {units.plain(glue.wanted, 0)} is wanted.
            </Box>
          )}
          <Typography variant="caption" color="text.secondary" component="div">
            {glue.caution}
          </Typography>
        </Typography>
      )}
    </Box>
  );
}

/** What holds the seam, in figures. */
function sizesOf(seam: Schemas["SeamRecord"], units: ReturnType<typeof useUnits>): string[] {
  const own = seam.joints.filter((j) => j.kind !== "rod");
  const [first] = own;
  if (!first) return [];
  const s = first.sizes;
  const gap = first.clearance_mm ? `, clearance ${units.length(first.clearance_mm, 2)} per side` : "";
  const stands = s.stands_mm ? `, ${units.length(Math.max(...own.map((j) => j.sizes.stands_mm)), 1)} into the inside` : "";
  switch (first.what || first.kind) {
    case "pin":
      return [
        `${units.count(own.length, "pin")} of ${units.length(s.diameter_mm, 2)}, ${units.length(s.depth_mm)} deep either side${gap}.`,
      ];
    case "magnet":
      return [];
    case "lug":
      return [`${units.count(own.length, "lug")} with pins of ${units.length(s.diameter_mm, 2)}${stands}${gap}.`];
    case "snap":
      return [
        `${units.count(own.length, "snap")}, ${units.length(s.length_mm, 1)} long${stands}. ` +
          `Bends ${units.plain(100 * Math.max(...own.map((j) => j.sizes.strain)), 1)} % when it goes in.`,
      ];
    case "lip":
    case "tongue":
    case "dovetail":
      return [
        `A ${first.what} ${units.length(s.thick_mm, 1)} thick, ${units.length(s.height_mm)} high, along ${units.length(s.length_mm)}${gap}.`,
      ];
    default:
      return [
        `${units.count(own.length, "lug")}, screws ${units.length(s.thread_mm, 1)} × ${units.length(s.screw_mm)}${stands}. ` +
          `Holes ${units.length(s.hole_above_mm, 1)} above, ${units.length(s.hole_below_mm, 1)} below.`,
      ];
  }
}
