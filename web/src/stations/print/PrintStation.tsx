/** How it is printed: each part lying on its foot, hours and grams, what the layer height moves, the lanes of the printers. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { lazy, Suspense, useState } from "react";
import { useMaterials, useShop, useSpools, useTrade, useWall, type Change, type Schemas } from "../../api/client";
import { DecisionField } from "../../parts/DecisionField";
import { EMPTY_SELECT } from "../../parts/Fields";
import { PlainTable } from "../../parts/PlainTable";
import { Silhouette } from "../../parts/Silhouette";
import { useUnits } from "../../parts/units";
import type { StationProps } from "../types";
import { Choices } from "./Choices";
import { Lanes } from "./Lanes";
import { PartLying } from "./PartLying";

const LayerChart = lazy(() => import("./LayerChart"));

export default function PrintStation({ piece, change, children }: StationProps) {
  const units = useUnits();
  const materials = useMaterials();
  const shop = useShop();
  const spools = useSpools();
  const trade = useTrade();
  const wall = useWall(piece.build);
  const { inks } = useTheme().palette;
  const r = piece.recipe;
  const parts = piece.print_data?.parts ?? [];
  const stuff = materials.data?.find((m) => m.key === r.material);
  const ready = piece.stations.print.state === "fresh";
  const [chosen, setChosen] = useState<string | null>(null);
  const part = parts.find((p) => p.name === chosen) ?? parts[0];
  const stage = (
    <Box sx={{ p: 2, overflowY: "auto" }}>
      <Stack direction="row" useFlexGap spacing={2} sx={{ flexWrap: "wrap" }} role="list" aria-label="Parts as they lie">
        {parts.map((p) => (
          <PartCard key={p.name} part={p} chosen={p === part} onChoose={() => setChosen(p.name)} />
        ))}
        {!parts.length && (
          <Typography color="text.secondary">The parts appear here, as they lie on the bed, once they are estimated.</Typography>
        )}
      </Stack>
      {part && <PartLying piece={piece} part={part} change={change} />}
      {piece.print_data && (
        <Box sx={{ display: "flex", flexWrap: "wrap", gap: 3, mt: 2, borderTop: `2px solid ${inks.ink}`, pt: 1 }}>
          <Box sx={{ flex: "1 1 420px", minWidth: 320 }}>
            <Typography variant="h3" component="h2">
              What other choices take
            </Typography>
            <Choices options={piece.print_data.options} change={change} />
          </Box>
          <Box sx={{ flex: "1 1 320px", minWidth: 300 }}>
            <Typography variant="h3" component="h2">
              Hours by layer height
            </Typography>
            <Suspense fallback={null}>
              <LayerChart sweep={piece.print_data.sweep} current={r.layer_mm} />
            </Suspense>
            {wall.data && shop.data && (
              <>
                <Typography variant="h3" component="h2">
                  The build on its printers
                </Typography>
                <Lanes calendar={wall.data.calendar} shop={shop.data} piece={piece.id} />
                <Typography variant="body2" color="text.secondary">
                  {`Hours × ${units.plain(shop.data.planning_factor, 1)} (everything takes longer), beds changed between ${shop.data.wake_from_h} and ${shop.data.wake_to_h} h.`}{" "}
                  Nights are shaded; this piece is dark.
                </Typography>
              </>
            )}
          </Box>
        </Box>
      )}
    </Box>
  );
  const decisions = (
    <>
      <Stack direction="row" spacing={1.5} useFlexGap sx={{ flexWrap: "wrap" }}>
        <TextField
          select
          label="Layer height"
          value={trade.data ? String(r.layer_mm) : ""}
          onChange={(e) => change({ layer_mm: Number(e.target.value) })}
          sx={{ width: 130 }}
        >
          {trade.data?.layer_heights_mm.map((h) => (
            <MenuItem key={h} value={String(h)}>
              {units.plain(h, 2)} mm
            </MenuItem>
          ))}
        </TextField>
        <DecisionField of="walls" piece={piece} change={change} width={90} />
        <DecisionField of="infill" piece={piece} change={change} width={110} />
      </Stack>
      <Stack direction="row" spacing={1.5}>
        <TextField
          select
          label="Supports"
          value={r.support}
          onChange={(e) => change({ support: e.target.value as Change["support"] })}
          sx={{ flex: 1 }}
        >
          <MenuItem value="branching">branching</MenuItem>
          <MenuItem value="grid">a sparse grid</MenuItem>
          <MenuItem value="none">none</MenuItem>
        </TextField>
        <DecisionField of="brim_mm" piece={piece} change={change} width={130} />
      </Stack>
      {r.support !== "none" && (
        <FormControlLabel
          control={<Switch size="small" checked={r.support_bed_only} onChange={(_, on) => change({ support_bed_only: on })} />}
          label="Supports stand on the bed only"
        />
      )}
      <FormControlLabel
        control={<Switch size="small" checked={r.adaptive_layers} onChange={(_, on) => change({ adaptive_layers: on })} />}
        label="Layers follow the slope"
      />
      <FormControlLabel
        control={<Switch size="small" checked={r.slow_outer_wall} onChange={(_, on) => change({ slow_outer_wall: on })} />}
        label="Slow outer wall"
      />
      <FormControlLabel control={<Switch size="small" checked={r.raft} onChange={(_, on) => change({ raft: on })} />} label="Raft" />
      <FormControlLabel
        control={<Switch size="small" checked={r.as_supplied} onChange={(_, on) => change({ as_supplied: on })} />}
        label="Whole files lie as their designer laid them"
      />
      <TextField
        select
        label="Material"
        value={materials.data ? r.material : ""}
        onChange={(e) => change({ material: e.target.value })}
        helperText={
          stuff && `Softens near ${units.plain(stuff.softens_deg_c, 0)} °C${stuff.softens_deg_c < 65 ? ": not for a hot car" : ""}.`
        }
      >
        {materials.data?.map((m) => (
          <MenuItem key={m.key} value={m.key}>
            {m.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label="Colour"
        value={r.colour}
        onChange={(e) => change({ colour: e.target.value })}
        helperText="Parts of one material, colour and layer height share plates."
      >
        <MenuItem value="">any</MenuItem>
        {[
          ...new Set([
            ...(spools.data ?? []).filter((s) => s.material === r.material && s.colour).map((s) => s.colour!),
            ...(r.colour ? [r.colour] : []),
          ]),
        ].map((colour) => (
          <MenuItem key={colour} value={colour}>
            {colour}
          </MenuItem>
        ))}
      </TextField>
      {parts.length > 0 && (
        <PlainTable label="Prints" numbersFrom={3}>
          <thead>
            <tr>
              <th>Part</th>
              <th>Fastest on</th>
              <th>Time</th>
              <th>Filament</th>
              <th>Hands</th>
            </tr>
          </thead>
          <tbody>
            {parts.map((p) => (
              <tr key={p.name}>
                <td>{p.name.replace(/^.*-/, "")}</td>
                <td>{p.printer ?? "no bed"}</td>
                <td>{p.hours === null ? "" : units.hours(p.hours)}</td>
                <td>
                  {p.of_resin && p.resin ? `${units.plain(p.resin.ml, 0)} ml` : p.filament_g === null ? "" : units.grams(p.filament_g)}
                </td>
                <td>{units.hours(p.hands_h)}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      )}
      <Button variant="contained" disabled={!ready} href={`/api/pieces/${piece.id}/takeaway/`} component="a" download>
        Download the files
      </Button>
      <Typography variant="body2" color="text.secondary">
        3MF and STL of every part as it lies, plan.json, the cut list and a sheet for the bench. Keep an eye, or a smoke alarm, on running
        printers.
      </Typography>
    </>
  );
  return children({ stage, decisions });
}

interface CardProps {
  part: Schemas["PrintPart"];
  chosen: boolean;
  onChoose: () => void;
}

function PartCard({ part, chosen, onChoose }: CardProps) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const best = part.printer ? part.on[part.printer] : null;
  return (
    <Box role="listitem" sx={{ width: 168, borderTop: `2px solid ${chosen ? inks.chosen : inks.ink}`, pt: 0.5 }}>
      <Button
        size="small"
        onClick={onChoose}
        aria-pressed={chosen}
        sx={{ p: 0, minWidth: 32, justifyContent: "flex-start", fontWeight: 600 }}
      >
        {part.name.replace(/^.*-/, "")}
      </Button>
      <Stack direction="row" spacing={1} sx={{ alignItems: "flex-end", borderBottom: `1px solid ${inks.ink}`, height: 74 }}>
        <Silhouette path={part.picture} width={70} height={70} label={`${part.name} lying, from the side`} fill={inks.faint} />
        <Silhouette path={part.footprint} width={48} height={48} label={`${part.name} from above`} fill={inks.line} />
      </Stack>
      <Typography variant="body2">{units.size(part.size_mm)}</Typography>
      {best && (
        <Typography variant="body2" color="text.secondary">
          {units.plain(best.layers, 0)} layers, {part.of_resin ? "in resin" : `${units.grams(best.support_g)} of it support`}
        </Typography>
      )}
    </Box>
  );
}
