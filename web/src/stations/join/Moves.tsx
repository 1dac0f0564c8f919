/** What moves: how far plates go against each other, seen along the line they turn about; their rivets and their strip. And ballast. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { LengthField } from "../../parts/Fields";
import { useUnits } from "../../parts/units";

type Moved = Schemas["MovedRecord"];

export function MovesSheet({ moved }: { moved: Moved }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const [x, y, w, h] = moved.box;
  const rim = Math.max(w, h) * 0.06;
  const line = Math.max(w, h) * 0.003;
  const far = (value: number) => (moved.kind === "slot" ? units.length(value) : `${units.plain(value, 0)}°`);
  const ends: Record<string, number> = { low: moved.low, high: moved.high };
  return (
    <svg
      viewBox={`${x - rim} ${y - rim} ${w + 2 * rim} ${h + 3.2 * rim}`}
      width="100%"
      height="100%"
      role="img"
      aria-label={`How far ${moved.parts.split("-")[1]} moves against ${moved.parts.split("-")[0]}`}
      style={{ display: "block", background: inks.sheet }}
    >
      {moved.drawing.map(([what, path]) =>
        what === "low" || what === "high" ? (
          Math.abs(ends[what]) > 0.5 && (
            <path
              key={what}
              d={path}
              fillRule="evenodd"
              fill={inks.parts[1]}
              fillOpacity={0.25}
              stroke={inks.ink}
              strokeWidth={line}
              strokeDasharray={`${line * 6} ${line * 4}`}
            />
          )
        ) : (
          <path
            key={what}
            d={path}
            fillRule="evenodd"
            fill={what === "fixed" ? inks.parts[0] : inks.parts[1]}
            fillOpacity={0.8}
            stroke={inks.ink}
            strokeWidth={line * 1.6}
          />
        ),
      )}
      <circle cx={0} cy={0} r={Math.max(moved.rivet_mm / 2, line * 3)} fill={inks.chosen} />
      <text x={x} y={y + h + 1.4 * rim} fontSize={rim * 0.8} fill={inks.ink}>
        {far(moved.low)} to {far(moved.high)}, seen along the {moved.kind === "hinge" ? "hinge" : "rivet"}
      </text>
    </svg>
  );
}

/** The next two parts, about a line through between their middles. */
function begun(
  parts: MovesProps["parts"],
  decided: Schemas["Moving"][],
  scale: readonly number[],
  fresh: Schemas["Moving"],
): Schemas["Moving"] {
  const taken = new Set(decided.map((m) => m.parts));
  const pairs = parts.flatMap((a, i) => parts.slice(i + 1).map((b) => [a, b] as const));
  const [one, other] = pairs.find(([a, b]) => !taken.has(`${a.letter}-${b.letter}`)) ?? pairs[0];
  const at = one.centre.map((v, i) => Number(((v + other.centre[i]) / 2 / scale[i]).toFixed(1))) as [number, number, number];
  return { ...fresh, parts: `${one.letter}-${other.letter}`, at_mm: at };
}

const ends = (moved: Moved) => [moved.held_low ? "" : "nothing stops it one way", moved.held_high ? "" : "nothing stops it the other way"];

const AXES: Record<string, [number, number, number]> = { "left to right": [1, 0, 0], "front to back": [0, 1, 0], upright: [0, 0, 1] };

interface MovesProps {
  piece: Detail;
  moves: Moved[];
  parts: { letter: string; centre: [number, number, number] }[];
  change: (change: Change) => void;
}

export function MovesCard({ piece, moves, parts, change }: MovesProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const trade = useTrade().data;
  const decided = piece.recipe.moves;
  const put = (k: number, next: Partial<Schemas["Moving"]>) => change({ moves: decided.map((m, i) => (i === k ? { ...m, ...next } : m)) });
  return (
    <Box role="group" aria-label="What moves" sx={{ borderLeft: `4px solid ${inks.chosen}`, pl: 1.25 }}>
      <Typography variant="h3" component="h2">
        What moves
      </Typography>
      {decided.map((m, k) => (
        <Stack key={k} direction="row" spacing={1} sx={{ mt: 1.5, alignItems: "center" }}>
          <TextField
            select
            label={m.parts.replace("-", " and ")}
            value={m.kind}
            onChange={(e) => put(k, { kind: e.target.value as Schemas["Moving"]["kind"] })}
            sx={{ flex: 1, minWidth: 0 }}
          >
            {Object.entries(trade?.moves ?? {}).map(([code, name]) => (
              <MenuItem key={code} value={code}>
                {name}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="Strip"
            value={m.strip}
            onChange={(e) => put(k, { strip: e.target.value })}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            sx={{ width: 110 }}
          >
            <MenuItem value="">none</MenuItem>
            {trade?.strips.map((s) => (
              <MenuItem key={s} value={s}>
                {s}
              </MenuItem>
            ))}
          </TextField>
        </Stack>
      ))}
      {decided.map((m, k) => (
        <Stack key={`place ${k}`} direction="row" spacing={1} sx={{ mt: 1.5 }}>
          {(["Across", "Back", "Up"] as const).map((label, i) => (
            <LengthField
              key={label}
              label={label}
              value={m.at_mm[i]}
              onCommit={(v) => v !== null && put(k, { at_mm: m.at_mm.map((old, j) => (j === i ? v : old)) as [number, number, number] })}
              width="33%"
            />
          ))}
        </Stack>
      ))}
      {decided.map((m, k) => (
        <Stack key={`line ${k}`} direction="row" spacing={1} sx={{ mt: 1.5, alignItems: "center" }}>
          <TextField
            select
            label="Line"
            value={Object.keys(AXES).find((a) => AXES[a].join() === m.axis.join()) ?? ""}
            onChange={(e) => put(k, { axis: AXES[e.target.value] })}
            sx={{ flex: 1, minWidth: 0 }}
          >
            {Object.keys(AXES).map((a) => (
              <MenuItem key={a} value={a}>
                {a}
              </MenuItem>
            ))}
          </TextField>
          <LengthField label="Rivet" value={m.rivet_mm} onCommit={(v) => v !== null && put(k, { rivet_mm: v })} width={112} />
          <Button size="small" onClick={() => change({ moves: decided.filter((_, i) => i !== k) })}>
            Take out
          </Button>
        </Stack>
      ))}
      {parts.length > 1 && trade && (
        <Button
          size="small"
          onClick={() => change({ moves: [...decided, begun(parts, decided, piece.fit?.scale ?? [1, 1, 1], trade.new_move)] })}
        >
          Add what moves
        </Button>
      )}
      {moves.map((m) => (
        <Typography key={m.index} variant="body2" component="div" sx={{ mt: 0.5 }}>
          {m.parts.split("-")[1]} {m.kind === "slot" ? "slides" : "turns"} from {units.plain(m.low, 0)} to {units.plain(m.high, 0)}{" "}
          {m.kind === "slot" ? "mm" : "degrees"} against {m.parts.split("-")[0]}, until they meet
          {ends(m)
            .filter(Boolean)
            .map((w) => `; ${w}`)}
          .{" "}
          {m.rivets > 0 &&
            `${units.count(m.rivets, "rivet")} of ${units.length(m.rivet_mm, 1)} in holes of ${units.length(m.hole_mm, 1)}. `}
          Their backs part by {units.length(m.gape_mm, 1)}; they overlap by {units.length(m.overlap_mm)}.
          {m.strip && (
            <>
              {" "}
              {m.strip.count > 1 ? `${m.strip.count} strips` : "Strip"} of {m.strip.material}: {units.plainLength(m.strip.long_mm)} ×{" "}
              {units.length(m.strip.wide_mm)}, {units.length(m.strip.free_mm)} between its rivets, bent by {units.percent(m.strip.strain)}{" "}
              of at most {units.percent(m.most_strain, 0)}.
            </>
          )}
          {m.hinge &&
            ` Hinges: ${m.hinge.count}, their ends at least ${units.length(m.hinge.width_mm)} apart; it slews ${units.length(m.hinge.slew_mm, 1)}.`}
          <Typography variant="caption" color="text.secondary" component="div">
            A trial at half scale has holes of {units.length(m.half_hole_mm, 2)}: hold it with wire, or drill them.
          </Typography>
        </Typography>
      ))}
      {moves.some((m) => m.strip) && (
        <Typography variant="body2">
          Strips at true size: <Link href={`/api/pieces/${piece.id}/strips.pdf`}>PDF</Link>,{" "}
          <Link href={`/api/pieces/${piece.id}/strips.svg`}>SVG</Link>
        </Typography>
      )}
    </Box>
  );
}

export function WeightCard({ piece, weight, parts, change }: WeightProps) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const trade = useTrade().data;
  const decided = piece.recipe.ballast;
  const free = parts.filter((p) => !decided.some((b) => b.part === p.id || b.part === p.letter));
  const put = (part: string, next: Schemas["Ballast"] | null) => {
    const letter = parts.find((p) => p.id === part)?.letter;
    const others = decided.filter((b) => b.part !== part && b.part !== letter);
    change({ ballast: next ? [...others, next] : others });
  };
  const moved = weight.ballast.length > 0 ? Math.hypot(...weight.at_mm.map((v, i) => v - weight.bare_at_mm[i])) : 0;
  const worst = weight.lifts[0];
  return (
    <Box role="group" aria-label="Weight" sx={{ mt: 1 }}>
      <Typography variant="h3" component="h2">
        Weight
      </Typography>
      <Typography variant="body2">
        {weight.ballast.length > 0
          ? `${units.grams(weight.bare_g)} → ${units.grams(weight.mass_g)}; its balance point moves ${units.length(moved)}.`
          : `${units.grams(weight.mass_g)} as printed.`}
      </Typography>
      {weight.ballast.map((b) => (
        <Typography key={b.id} variant="body2" component="div">
          {b.part.replace(/^.*-/, "")}: {units.grams(b.grams)} of {b.name}, {units.plain(b.litres, 2)} l of {units.grams(b.full_g)} at most,
          standing {units.length(b.high_mm)} high. Wet it presses the wall with {units.plain(b.pressure_kpa, 1)} kPa:{" "}
          {units.plain(b.stress_mpa, 2)} MPa, safety{" "}
          <Box component="span" sx={{ color: b.safety < weight.wanted ? inks.tight : inks.holds, fontWeight: 600 }}>
            {units.plain(b.safety, 1)}
          </Box>
          .{b.sets_h > 0 && ` Sets in ${units.hours(b.sets_h)}.`}{" "}
          <Button size="small" onClick={() => put(b.id, null)}>
            Leave it out
          </Button>
          <Typography variant="caption" color="text.secondary" component="div">
            {b.caution} Printed with the filling hole up, nothing has to stand in it.
          </Typography>
        </Typography>
      ))}
      {worst && (
        <Typography variant="body2" sx={{ color: worst.safety < weight.wanted ? inks.tight : undefined }}>
          Lifted by {worst.by.map((n) => n.replace(/^.*-/, "")).join(" or ")}, {units.grams(worst.hangs_g)} hang on the{" "}
          {worst.magnets ? "magnets" : "glue"} of {worst.seam.replace("-", " to ")}: safety {units.plain(worst.safety, 1)}.
        </Typography>
      )}
      {free.length > 0 && (
        <Stack direction="row" spacing={1} sx={{ mt: 1.5 }}>
          <TextField
            select
            label="Fill a part"
            value=""
            onChange={(e) => {
              const [part, fill] = e.target.value.split(" ");
              if (trade) put(part, { ...trade.new_ballast, part, fill: fill });
            }}
            sx={{ flex: 1 }}
          >
            {free.flatMap((p) =>
              Object.entries(trade?.fills ?? {}).map(([fill, name]) => (
                <MenuItem key={`${p.id} ${fill}`} value={`${p.id} ${fill}`}>
                  {p.letter} with {name}
                </MenuItem>
              )),
            )}
          </TextField>
        </Stack>
      )}
    </Box>
  );
}

interface WeightProps {
  piece: Detail;
  weight: Schemas["WeightRecord"];
  parts: { id: string; letter: string }[];
  change: (change: Change) => void;
}
