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
import { decidedFor, withUse, type Hole } from "./uses";

interface Props {
  piece: Detail;
  change: (change: Change) => void;
  chosen: number | null;
  onChoose: (hole: number | null) => void;
}

const WORST = ["stops", "tight"] as const;

export function Holes({ piece, change, chosen, onChoose }: Props) {
  const units = useUnits();
  const trade = useTrade();
  const { inks } = useTheme().palette;
  const { holes } = piece;
  if (!holes.length) return null;
  const known = trade.data?.uses ?? {};
  const one = chosen === null ? undefined : holes[chosen];
  const firsts = holes.flatMap((hole, k) => (hole.alike === k ? [k] : []));
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
          {firsts.map((k) => {
            const hole = holes[k];
            const group = holes.filter((h) => h.alike === k);
            const open = one?.alike === k;
            const decided = [...new Set(group.map((h) => decidedFor(piece, h)?.use ?? ""))];
            const verdict = WORST.find((v) => group.some((h) => h.verdict === v)) ?? "holds";
            return (
              <Box
                component="tr"
                key={k}
                onClick={() => onChoose(open ? null : k)}
                sx={{ cursor: "pointer", outline: open ? `1.5px solid ${inks.chosen}` : undefined }}
              >
                <td>
                  <Button
                    size="small"
                    variant="text"
                    aria-expanded={open}
                    sx={{ p: 0, minWidth: 0, minHeight: 24, color: "text.primary", textAlign: "left" }}
                  >
                    {group.length} {hole.feature.kind}
                    {hole.feature.through ? " through" : ""}
                  </Button>
                </td>
                <td className="n">{units.plainLength(hole.feature.width_mm, 2)}</td>
                <td className="n">{units.plainLength(hole.width_mm, 2)}</td>
                <td className="n">{units.plainLength(hole.depth_mm, 1)}</td>
                <td>
                  {!hole.hollow ? (
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
      {one?.hollow && <UseOf piece={piece} one={one} known={known} change={change} />}
    </Box>
  );
}

interface UseProps extends Pick<Props, "piece" | "change"> {
  one: Hole;
  known: Record<string, string>;
}

/** What the chosen hole, and those like it, are for: the likeliest first. */
function UseOf({ piece, one, known, change }: UseProps) {
  const same = piece.holes.filter((h) => h.alike === one.alike);
  const slot = one.feature.kind === "slot";
  const others = Object.keys(known).filter((code) => !one.likely.includes(code) && slot === (code === "slide" || code === "plug"));
  const set = (holes: Hole[], use: string) => change({ features: withUse(piece, holes, use) });
  return (
    <Stack direction="row" spacing={1} sx={{ mt: 1.25, alignItems: "center" }}>
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label={same.length > 1 ? `These ${same.length} are for` : "It is for"}
        value={decidedFor(piece, one)?.use ?? ""}
        onChange={(e) => set(same, e.target.value)}
        sx={{ flex: 1 }}
      >
        <MenuItem value="">as it came</MenuItem>
        {one.likely.map((code) => (
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
      {same.length > 1 && decidedFor(piece, one) && (
        <Button
          size="small"
          variant="outlined"
          onClick={() =>
            set(
              same.filter((h) => h !== one),
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
