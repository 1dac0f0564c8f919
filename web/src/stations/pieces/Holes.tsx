/** Holes, pockets and slots that the designer left: how wide they are at this scale, what they were made for, and what they are for. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ListSubheader from "@mui/material/ListSubheader";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useTrade, type Change, type Detail } from "../../api/client";
import { EMPTY_SELECT } from "../../parts/Fields";
import { Mark } from "../../parts/Mark";
import { useUnits } from "../../parts/units";
import { alike, decidedFor, groups, isHollow, withUse, type Feature } from "./uses";

interface Props {
  piece: Detail;
  change: (change: Change) => void;
  chosen: number | null;
  onChoose: (hole: number | null) => void;
}

const KINDS: Record<Feature["kind"], string> = { round: "round", hexagon: "hexagon", slot: "slot", peg: "peg", tongue: "tongue" };

export function Holes({ piece, change, chosen, onChoose }: Props) {
  const units = useUnits();
  const trade = useTrade();
  const { inks } = useTheme().palette;
  const data = piece.pieces_data;
  if (!data?.features.length) return null;
  const uses = piece.recipe.features;
  const scale = piece.fit?.scale ?? [1, 1, 1];
  const size = (scale[0] + scale[1] + scale[2]) / 3;
  const known = trade.data?.uses ?? {};
  const one = chosen === null ? undefined : data.features[chosen];
  const told = (f: Feature) => {
    const use = decidedFor(uses, f);
    return use && piece.cut?.fitted.find((x) => x.use === use.use && x.at_mm.every((v, i) => v === use.at_mm[i]));
  };
  return (
    <Box>
      <Typography variant="h3" component="h2">
        Holes and slots
      </Typography>
      <Typography variant="body2" color="text.secondary" gutterBottom>
        They grow with the piece. Say what they are for, and they are filled and made anew at true size, with this shop’s clearance.
      </Typography>
      <Box
        component="table"
        aria-label="Holes and slots"
        sx={{
          borderCollapse: "collapse",
          width: "100%",
          fontSize: 14,
          "& td, & th": { textAlign: "left", py: 0.4, pr: 1, borderBottom: `1px solid ${inks.line}` },
          "& td.n, & th.n": { textAlign: "right", fontVariantNumeric: "tabular-nums" },
        }}
      >
        <thead>
          <tr>
            <th>Kind</th>
            <th className="n">Made</th>
            <th className="n">Now</th>
            <th className="n">Deep</th>
            <th>For</th>
          </tr>
        </thead>
        <tbody>
          {groups(data.features).map((group) => {
            const f = group[0];
            const open = !!one && group.includes(one);
            const decided = [...new Set(group.map((g) => decidedFor(uses, g)?.use ?? ""))];
            const states = group.map((g) => told(g)?.state ?? "made");
            const made = told(f);
            const now = made && (made.state === "made" || made.state === "thin") ? made.width_mm : f.width_mm * size;
            const verdict = states.every((x) => x === "made")
              ? "holds"
              : states.every((x) => x === "made" || x === "thin")
                ? "tight"
                : "stops";
            return (
              <Box
                component="tr"
                key={data.features.indexOf(f)}
                onClick={() => onChoose(open ? null : data.features.indexOf(f))}
                sx={{ cursor: "pointer", outline: open ? `1.5px solid ${inks.chosen}` : undefined }}
              >
                <td>
                  <Button
                    size="small"
                    variant="text"
                    aria-expanded={open}
                    sx={{ p: 0, minWidth: 0, minHeight: 24, color: "text.primary", textAlign: "left" }}
                  >
                    {group.length} {KINDS[f.kind]}
                    {f.through ? " through" : ""}
                  </Button>
                </td>
                <td className="n">{units.plainLength(f.width_mm, 2)}</td>
                <td className="n">{units.plainLength(now, 2)}</td>
                <td className="n">{units.plainLength(f.depth_mm * size, 1)}</td>
                <td>
                  {!isHollow(f) ? (
                    <i>stays</i>
                  ) : decided.length > 1 ? (
                    "several"
                  ) : decided[0] ? (
                    <>
                      <Mark verdict={verdict} size={11} /> {known[decided[0]] ?? decided[0]}
                    </>
                  ) : (
                    ""
                  )}
                </td>
              </Box>
            );
          })}
        </tbody>
      </Box>
      {one && chosen !== null && isHollow(one) && (
        <UseOf piece={piece} one={one} likely={data.likely[chosen] ?? []} known={known} change={change} />
      )}
    </Box>
  );
}

interface UseProps extends Pick<Props, "piece" | "change"> {
  one: Feature;
  likely: string[];
  known: Record<string, string>;
}

/** What the chosen hole, and those like it, are for: the likeliest first. */
function UseOf({ piece, one, likely, known, change }: UseProps) {
  const uses = piece.recipe.features;
  const same = alike(piece.pieces_data?.features ?? [], one);
  const slot = one.kind === "slot";
  const others = Object.keys(known).filter((code) => !likely.includes(code) && slot === (code === "slide" || code === "plug"));
  const set = (holes: Feature[], use: string) => change({ features: withUse(uses, holes, use) });
  return (
    <Stack direction="row" spacing={1} sx={{ mt: 1.25, alignItems: "center" }}>
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label={same.length > 1 ? `These ${same.length} are for` : "It is for"}
        value={decidedFor(uses, one)?.use ?? ""}
        onChange={(e) => set(same, e.target.value)}
        sx={{ flex: 1 }}
      >
        <MenuItem value="">as it came</MenuItem>
        {likely.map((code) => (
          <MenuItem key={code} value={code}>
            {known[code] ?? code}
          </MenuItem>
        ))}
        {others.length > 0 && <ListSubheader>Other sizes</ListSubheader>}
        {others.map((code) => (
          <MenuItem key={code} value={code}>
            {known[code]}
          </MenuItem>
        ))}
      </TextField>
      {same.length > 1 && decidedFor(uses, one) && (
        <Button
          size="small"
          variant="outlined"
          onClick={() =>
            set(
              same.filter((f) => f !== one),
              "",
            )
          }
        >
          Only this one
        </Button>
      )}
    </Stack>
  );
}
