/** What is held in the hand, along its length: its outline, seams, grip and rods, and how surely it holds there when it is swung. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { DecisionField } from "../../parts/DecisionField";
import { useUnits } from "../../parts/units";

type Long = Schemas["LongRecord"];

const WIDE = 1000;
const HIGH = 300;
const LEFT = 46;
const MOST = 20;

export function LongSheet({ long }: { long: Long }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const scale = (WIDE - 2 * LEFT) / long.length_mm;
  const x = (mm: number) => LEFT + mm * scale;
  const reach = Math.max(...long.high_side_mm.map((v, i) => Math.max(v, -long.low_side_mm[i])), 20);
  const thick = Math.min(scale, 44 / reach);
  const y = (mm: number) => 78 - mm * thick;
  const outline = [
    ...long.at_mm.map((at, i) => [x(at), y(long.high_side_mm[i])]),
    ...long.at_mm.map((at, i) => [x(at), y(long.low_side_mm[i])]).reverse(),
  ];
  const top = 160;
  const bottom = 268;
  // Safety upward on a scale of ratios, so that half and double are alike far from one.
  const up = (safety: number) =>
    bottom - ((Math.log(Math.min(Math.max(safety, 0.25), MOST)) - Math.log(0.25)) / (Math.log(MOST) - Math.log(0.25))) * (bottom - top);
  const text = { fontSize: 13, fill: inks.ink } as const;
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      width="100%"
      height="100%"
      role="img"
      aria-label={`Along its length: safety ${units.plain(long.safety, 1)} when it is swung`}
      style={{ display: "block", background: inks.sheet }}
    >
      <rect x={x(long.grip_mm[0])} y={22} width={(long.grip_mm[1] - long.grip_mm[0]) * scale} height={112} fill={inks.line} opacity={0.6} />
      <text x={x((long.grip_mm[0] + long.grip_mm[1]) / 2)} y={16} textAnchor="middle" {...text}>
        held here
      </text>
      <path
        d={`M${outline.map((p) => p.map((v) => v.toFixed(1)).join(",")).join("L")}Z`}
        fill={inks.parts[0]}
        stroke={inks.ink}
        strokeWidth={1.2}
      />
      {long.rods.map((rod) => (
        <line
          key={`${rod.stock}/${rod.low_mm}`}
          x1={x(rod.low_mm)}
          x2={x(rod.high_mm)}
          y1={y(rod.across_mm)}
          y2={y(rod.across_mm)}
          stroke={inks.ink}
          strokeWidth={5}
        />
      ))}
      <path d={`M${x(long.balance_mm)},136l-7,11h14Z`} fill={inks.ink} />
      {long.seams.map((seam) => (
        <g key={`${seam.letters}/${seam.at_mm}`}>
          <line x1={x(seam.at_mm)} x2={x(seam.at_mm)} y1={30} y2={bottom} stroke={inks.chosen} strokeWidth={1.2} strokeDasharray="5 4" />
          <text x={x(seam.at_mm) + 4} y={42} {...text}>
            {seam.letters.replace("-", "|")}
          </text>
          <circle cx={x(seam.at_mm)} cy={up(seam.bare)} r={5} fill={inks.sheet} stroke={inks.ink} strokeWidth={1.5} />
          {seam.held > seam.bare && <circle cx={x(seam.at_mm)} cy={up(seam.held)} r={5} fill={inks.ink} />}
        </g>
      ))}
      {[0.5, 1, long.wanted, 5, 10].map((v) => (
        <g key={v}>
          <line
            x1={LEFT}
            x2={WIDE - LEFT}
            y1={up(v)}
            y2={up(v)}
            stroke={v === 1 ? inks.stops : v === long.wanted ? inks.tight : inks.line}
            strokeWidth={v === 1 || v === long.wanted ? 1.6 : 1}
          />
          <text x={LEFT - 6} y={up(v) + 4} textAnchor="end" {...text}>
            {v}
          </text>
        </g>
      ))}
      <text x={WIDE - LEFT + 4} y={up(1) + 4} {...text}>
        breaks
      </text>
      <path
        d={`M${long.at_mm.map((at, i) => `${x(at).toFixed(1)},${up(long.bare[i]).toFixed(1)}`).join("L")}`}
        fill="none"
        stroke={inks.faint}
        strokeWidth={1.6}
      />
      <text x={LEFT} y={HIGH - 8} {...text}>
        Safety: line, the print; ring, a glued seam; dot, with the rod. Triangle: where it balances.
      </text>
      <text x={WIDE - LEFT} y={HIGH - 8} textAnchor="end" {...text}>
        {units.length(long.length_mm)}, {units.grams(long.mass_g)}
      </text>
    </svg>
  );
}

const capital = (name: string) => name.charAt(0).toUpperCase() + name.slice(1);

export function LongCard({ piece, long, change }: { piece: Detail; long: Long; change: (change: Change) => void }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const trade = useTrade().data;
  const rods = piece.recipe.rods;
  const put = (k: number, next: Partial<Schemas["Rod"]>) =>
    change({ rods: rods.map((r, i) => (i === k ? { ...r, from_mm: null, to_mm: null, at_mm: null, ...next } : r)) });
  const tone = long.safety >= long.wanted ? inks.holds : long.safety < 1 ? inks.stops : inks.tight;
  return (
    <Box role="group" aria-label="Along its length" sx={{ borderLeft: `4px solid ${inks.chosen}`, pl: 1.25 }}>
      <Typography variant="h3" component="h2">
        Along its length
      </Typography>
      <Typography variant="body2" sx={{ fontWeight: 600, color: tone }}>
        {long.rods.length > 0
          ? `Safety ${units.plain(long.safety_bare, 1)} → ${units.plain(long.safety, 1)} with its ${long.rods.length > 1 ? "rods" : "rod"}`
          : `Safety ${units.plain(long.safety_bare, 1)} without a rod`}
        , wanted {units.plain(long.wanted, 1)}.
      </Typography>
      <Typography variant="body2">
        Weakest {long.weakest ? `at seam ${long.weakest.replace("-", " to ")}` : "in the print"}, {units.length(long.weakest_mm)} from its
        low end. {units.grams(long.mass_g)}, balanced at {units.length(long.balance_mm)}; its end gives way by {units.length(long.sags_mm)}.
      </Typography>
      {rods.map((rod, k) => (
        <Stack key={k} direction="row" spacing={1} sx={{ mt: 1.5, alignItems: "center" }}>
          <TextField
            select
            label={`Rod ${k + 1}`}
            value={rod.stock}
            onChange={(e) => put(k, { stock: e.target.value })}
            sx={{ flex: 1, minWidth: 0 }}
          >
            {Object.entries({ [rod.stock]: rod.stock, ...trade?.rods }).map(([code, name]) => (
              <MenuItem key={code} value={code}>
                {capital(name)}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="Along"
            value={rod.axis}
            onChange={(e) => put(k, { axis: e.target.value as Schemas["Rod"]["axis"] })}
            sx={{ width: 130 }}
          >
            {Object.entries(trade?.axes ?? {}).map(([code, name]) => (
              <MenuItem key={code} value={code}>
                {name}
              </MenuItem>
            ))}
          </TextField>
          <Button size="small" onClick={() => change({ rods: rods.filter((_, i) => i !== k) })}>
            Take out
          </Button>
        </Stack>
      ))}
      {long.rods.map((rod) => (
        <Typography key={`${rod.stock}/${rod.low_mm}`} variant="body2">
          {capital(rod.name)}, cut to {units.length(rod.length_mm)}: from {units.length(rod.low_mm)} to {units.length(rod.high_mm)},{" "}
          {units.grams(rod.weighs_g)}.
        </Typography>
      ))}
      {trade &&
        long.offers.map((offer) => (
          <Stack key={offer.stock} direction="row" spacing={1} sx={{ alignItems: "center", justifyContent: "space-between" }}>
            <Typography variant="body2">
              {capital(offer.name)}, {units.length(offer.high_mm - offer.low_mm)} long, {units.grams(offer.weighs_g)}: safety{" "}
              {units.plain(offer.safety, 1)}
            </Typography>
            <Button
              size="small"
              aria-label={`Put in ${offer.name}`}
              onClick={() => change({ rods: [{ ...trade.new_rod, stock: offer.stock }, ...rods.slice(1)] })}
            >
              Put it in
            </Button>
          </Stack>
        ))}
      <Stack direction="row" spacing={1} sx={{ mt: 1, alignItems: "center" }}>
        <DecisionField of="swing_g" piece={piece} change={change} width={110} />
        <DecisionField of="grip_mm" piece={piece} change={change} width={130} />
        {!rods.length && trade && (
          <Button size="small" onClick={() => change({ rods: [trade.new_rod] })}>
            Add a rod
          </Button>
        )}
      </Stack>
      <Typography variant="caption" color="text.secondary" component="div">
        In g: 1 is held still, 3 planted or swung, more is a blow. Printed strength is uncertain by a third: try it away from people. Glue
        the rod in with epoxy over its whole length; venues rule how long and how hard a prop may be.
      </Typography>
      <Typography variant="caption" color="text.secondary" component="div">
        Lift it by the grip: a pommel, a strap or a glued handle holds itself only.
      </Typography>
    </Box>
  );
}
