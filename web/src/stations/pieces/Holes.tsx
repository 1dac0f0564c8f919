/** Holes, pockets and slots that the designer left: how wide they are at this scale, what they were made for, and what they are for. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ListSubheader from "@mui/material/ListSubheader";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useTrade, type Change, type Detail } from "../../api/client";
import { EMPTY_SELECT } from "../../parts/Fields";
import { Mark } from "../../parts/Mark";
import { useUnits } from "../../parts/units";
import { alike, isHollow, decidedFor, withUse, type Feature } from "./uses";

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
  const same = one ? alike(data.features, one) : [];
  const decided = one && decidedFor(uses, one);
  const likely = chosen === null ? [] : (data.likely[chosen] ?? []);
  const others = Object.keys(known).filter(
    (code) => !likely.includes(code) && (one?.kind === "slot") === (code === "slide" || code === "plug"),
  );
  return (
    <Box>
      <Typography variant="h3" component="h2">
        Holes and slots
      </Typography>
      <Typography variant="body2" color="text.secondary" gutterBottom>
        They grow with the piece. Say what one is for, and it is filled and made anew at its true size, with this shop’s clearance.
      </Typography>
      <Box
        component="table"
        aria-label="Holes and slots"
        sx={{
          borderCollapse: "collapse",
          width: "100%",
          fontSize: 14,
          "& td, & th": { textAlign: "left", py: 0.4, pr: 0.5, borderBottom: `1px solid ${inks.line}` },
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
          {data.features.map((f, k) => {
            const use = decidedFor(uses, f);
            const told = use && piece.cut?.fitted.find((x) => x.use === use.use && x.at_mm.every((v, i) => v === use.at_mm[i]));
            return (
              <Box
                component="tr"
                key={k}
                aria-selected={k === chosen}
                onClick={() => onChoose(k === chosen ? null : k)}
                sx={{ cursor: "pointer", outline: k === chosen ? `1.5px solid ${inks.chosen}` : undefined }}
              >
                <td>
                  <Button
                    size="small"
                    variant="text"
                    sx={{ p: 0, minWidth: 0, minHeight: 24, color: "text.primary" }}
                    aria-label={`${k + 1}: ${KINDS[f.kind]}, ${units.length(f.width_mm, 2)}`}
                  >
                    {KINDS[f.kind]}
                    {f.through ? " through" : ""}
                  </Button>
                </td>
                <td className="n">{units.plainLength(f.width_mm, 2)}</td>
                <td className="n">
                  {told?.state === "made" || told?.state === "thin"
                    ? units.plainLength(told.width_mm, 2)
                    : units.plainLength(f.width_mm * size, 2)}
                </td>
                <td className="n">{units.plainLength(f.depth_mm * size, 1)}</td>
                <td>
                  {use ? (
                    <>
                      {told && <Mark verdict={told.state === "made" ? "holds" : told.state === "thin" ? "tight" : "stops"} size={11} />}{" "}
                      {known[use.use] ?? use.use}
                    </>
                  ) : isHollow(f) ? (
                    ""
                  ) : (
                    <i>stays</i>
                  )}
                </td>
              </Box>
            );
          })}
        </tbody>
      </Box>
      {one && isHollow(one) && (
        <Box sx={{ mt: 1, display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
          <TextField
            select
            slotProps={EMPTY_SELECT}
            label={same.length > 1 ? `These ${same.length} are for` : "It is for"}
            value={decided?.use ?? ""}
            onChange={(e) => change({ features: withUse(uses, same, e.target.value) })}
            sx={{ minWidth: 210, flex: 1 }}
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
          {same.length > 1 && (
            <Button
              size="small"
              variant="outlined"
              disabled={!decided}
              onClick={() =>
                change({
                  features: withUse(
                    uses,
                    same.filter((f) => f !== one),
                    "",
                  ),
                })
              }
            >
              Only this one
            </Button>
          )}
        </Box>
      )}
    </Box>
  );
}
