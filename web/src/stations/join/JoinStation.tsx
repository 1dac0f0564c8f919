/** How it holds: every cut face drawn flat with its pins, and the pins to cut. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useShop, type Schemas } from "../../api/client";
import { DecisionField } from "../../parts/DecisionField";
import { useUnits } from "../../parts/units";
import type { StationProps } from "../types";

const CHOICES: { label: string; value: string; sizes: number[] | null }[] = [
  { label: "thickest that fits: 4, 3 or 1.75 mm", value: "auto", sizes: null },
  { label: "1.75 mm, pieces of filament", value: "1.75", sizes: [1.75] },
  { label: "3.5 mm, a rod of twice the filament", value: "3.5", sizes: [3.5] },
  { label: "3 mm dowel", value: "3", sizes: [3] },
  { label: "4 mm dowel", value: "4", sizes: [4] },
  { label: "6 mm dowel", value: "6", sizes: [6] },
];

export default function JoinStation({ piece, change, children }: StationProps) {
  const units = useUnits();
  const shop = useShop();
  const { inks } = useTheme().palette;
  const seams = piece.join_data?.seams ?? [];
  const sizes = piece.recipe.pin_diameters_mm;
  const current = CHOICES.find((c) => JSON.stringify(c.sizes) === JSON.stringify(sizes))?.value ?? "auto";
  const stage = (
    <Box
      sx={{
        p: 2,
        overflowY: "auto",
        display: "grid",
        gridTemplateColumns: "repeat(auto-fill, minmax(340px, 1fr))",
        gap: 2.5,
        alignContent: "start",
      }}
    >
      {seams.map((s) => (
        <SeamDrawing key={s.id} seam={s} />
      ))}
      {!seams.length && (
        <Typography color="text.secondary" sx={{ p: 2 }}>
          {piece.join ? "The piece is printed whole: there is nothing to join." : "The cut faces appear here once the piece is parted."}
        </Typography>
      )}
    </Box>
  );
  const decisions = (
    <>
      <TextField
        select
        label="Pins"
        value={current}
        onChange={(e) => change({ pin_diameters_mm: CHOICES.find((c) => c.value === e.target.value)?.sizes ?? null })}
      >
        {CHOICES.map((c) => (
          <MenuItem key={c.value} value={c.value}>
            {c.label}
          </MenuItem>
        ))}
      </TextField>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <DecisionField of="pin_clearance_mm" piece={piece} change={change} width={190} usual={shop.data?.pin_clearance_mm} />
        {piece.recipe.pin_clearance_mm !== null && <Button onClick={() => change({ pin_clearance_mm: null })}>As in the shop</Button>}
      </Stack>
      {!!piece.join?.hardware.length && (
        <Box
          component="table"
          aria-label="Pins to cut"
          sx={{
            borderCollapse: "collapse",
            "& td, & th": { textAlign: "left", py: 0.5, borderBottom: `1px solid ${inks.line}` },
          }}
        >
          <thead>
            <tr>
              <th>Pins to cut</th>
              <th>thick</th>
              <th>long</th>
            </tr>
          </thead>
          <tbody>
            {piece.join.hardware.map((h) => (
              <tr key={`${h.diameter_mm}/${h.length_mm}`}>
                <td>{h.count}</td>
                <td>{units.length(h.diameter_mm, 2)}</td>
                <td>{units.length(h.length_mm, 1)}</td>
              </tr>
            ))}
          </tbody>
        </Box>
      )}
      <Typography variant="body2" color="text.secondary">
        Dry-fit before any glue. Glue: gloves, fresh air, the product’s own sheet; cyanoacrylate bonds skin and its fumes sting.
      </Typography>
    </>
  );
  return children({ stage, decisions });
}

function SeamDrawing({ seam }: { seam: Schemas["SeamRecord"] }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [x, y, w, h] = seam.box;
  const rim = Math.max(w, h) * 0.06 + 2;
  const [a, b] = seam.parts.map((p) => p.replace(/^.*-/, ""));
  const grid = Math.max(w, h) > 120 ? 20 : 10;
  const startX = Math.floor((x - rim) / grid) * grid;
  const startY = Math.floor((y - rim) / grid) * grid;
  return (
    <Box component="figure" sx={{ m: 0 }} aria-label={`Seam ${a} to ${b}`}>
      <Typography component="figcaption" sx={{ fontWeight: 600 }}>
        {a} to {b}{" "}
        <Typography component="span" color="text.secondary">
          {units.area(seam.area_mm2)}, {units.count(seam.joints.length, "pin")}
          {seam.joints[0]
            ? ` of ${units.length(seam.joints[0].diameter_mm, 2)}, ${units.length(seam.joints[0].depth_mm)} deep either side`
            : ""}
        </Typography>
      </Typography>
      <svg
        viewBox={`${x - rim} ${y - rim} ${w + 2 * rim} ${h + 2 * rim}`}
        width="100%"
        style={{ maxHeight: 420 }}
        role="img"
        aria-label={`Cut face between ${a} and ${b}, flat`}
      >
        <rect x={x - rim} y={y - rim} width={w + 2 * rim} height={h + 2 * rim} fill={inks.sheet} />
        {Array.from({ length: Math.ceil((w + 2 * rim) / grid) + 1 }, (_, i) => (
          <line
            key={`x${i}`}
            x1={startX + i * grid}
            x2={startX + i * grid}
            y1={y - rim}
            y2={y + h + rim}
            stroke={inks.line}
            strokeWidth={rim * 0.02}
          />
        ))}
        {Array.from({ length: Math.ceil((h + 2 * rim) / grid) + 1 }, (_, i) => (
          <line
            key={`y${i}`}
            y1={startY + i * grid}
            y2={startY + i * grid}
            x1={x - rim}
            x2={x + w + rim}
            stroke={inks.line}
            strokeWidth={rim * 0.02}
          />
        ))}
        <path d={seam.face} fill={inks.parts[0]} stroke={inks.ink} strokeWidth={rim * 0.06} fillRule="evenodd" />
        {seam.spots.map((s, i) => (
          <g key={i}>
            <circle cx={s.x} cy={s.y} r={s.radius_mm} fill={inks.sheet} stroke={inks.chosen} strokeWidth={rim * 0.06} />
            <circle
              cx={s.x}
              cy={s.y}
              r={s.radius_mm + rim * 0.35}
              fill="none"
              stroke={inks.chosen}
              strokeWidth={rim * 0.06}
              strokeDasharray={`${rim * 0.2} ${rim * 0.14}`}
            />
          </g>
        ))}
      </svg>
      <Typography variant="body2" color="text.secondary">
        {units.say(seam.advice) || `Squares of ${units.length(grid)}.`}
      </Typography>
    </Box>
  );
}
