/** The decisions of a fit: wearer, scale, how it goes on, what lies between and inside, and the seat. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { layersOf, useDecision, useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { DecisionField } from "../../parts/DecisionField";
import { EMPTY_SELECT, LengthField, NumberField } from "../../parts/Fields";
import { BaySize } from "../../parts/BaySize";
import { Mark } from "../../parts/Mark";
import { useUnits } from "../../parts/units";
import { WearerPicker } from "../../parts/WearerPicker";

interface Props {
  piece: Detail;
  change: (change: Change) => void;
  /** Number of the bay that is being placed on the stage. */
  placing: number | null;
  onPlacing: (bay: number | null) => void;
}

const WAYS: Record<string, string> = {
  over: "pulled over",
  split: "opens lengthwise",
  plates: "front and back apart",
  open: "open at the back, sprung on",
};

export function FitDecisions({ piece, change, placing, onPlacing }: Props) {
  const units = useUnits();
  const r = piece.recipe;
  const fit = piece.fit;
  const [apart, setApart] = useState(!!r.scale && new Set(r.scale).size > 1);
  const limits = useDecision("scale");
  const scale = fit?.scale;
  const setAxis = (axis: number, percent: number | null) => {
    if (percent === null || !scale) return;
    change({ scale: apart ? scale.map((s, i) => (i === axis ? percent / 100 : s)) : [percent / 100, percent / 100, percent / 100] });
  };
  const percentOf = (s: number) => Number((100 * s).toFixed(2));
  const worn = piece.usual.worn;
  return (
    <>
      {fit && (
        <Typography>
          Suggested: <b>{units.percent(fit.suggested)}</b>
          {fit.verdict === "holds" ? ` (${units.say(fit.reason).replace(/\.$/, "")})` : ""}.
        </Typography>
      )}
      {piece.fit_data?.answer?.plate && <PlateLine plate={piece.fit_data.answer.plate} />}
      <WearerPicker label="Worn by" value={piece.worn_by} empty="the build’s wearer" onChoose={(wearer) => change({ wearer })} />
      <Box>
        <Stack direction="row" spacing={1} sx={{ flexWrap: "wrap", alignItems: "center" }} useFlexGap>
          {scale &&
            (apart ? ["Width", "Depth", "Height"] : [limits?.label ?? ""]).map((label, axis) => (
              <NumberField
                key={label}
                label={label}
                suffix="%"
                width={apart ? 116 : 150}
                least={limits?.least && percentOf(limits.least)}
                most={limits?.most && percentOf(limits.most)}
                value={percentOf(scale[axis])}
                onCommit={(v) => setAxis(axis, v)}
              />
            ))}
          {r.scale && (
            <Button variant="outlined" onClick={() => (setApart(false), change({ scale: null }))}>
              Use suggested
            </Button>
          )}
        </Stack>
        <FormControlLabel
          control={<Switch checked={apart} onChange={(_, on) => setApart(on)} />}
          label="Scale axes separately (for limbs; avoid on helmets)"
        />
      </Box>
      {r.site !== "head" && (
        <Stack direction="row" spacing={1.5}>
          <DecisionField of="made_for_mm" piece={piece} change={change} width={190} />
          <DecisionField of="wanted_length_mm" piece={piece} change={change} width={170} />
        </Stack>
      )}
      {worn && (
        <>
          <Stack direction="row" spacing={1.5}>
            <TextField
              select
              slotProps={EMPTY_SELECT}
              label="Goes on"
              value={r.way_in}
              onChange={(e) => change({ way_in: e.target.value as Change["way_in"] })}
              sx={{ flex: 1 }}
            >
              <MenuItem value="">as usual: {WAYS[piece.usual.way_in]}</MenuItem>
              {Object.entries(WAYS).map(([key, words]) => (
                <MenuItem key={key} value={key}>
                  {words}
                </MenuItem>
              ))}
            </TextField>
            <DecisionField of="give_mm" piece={piece} change={change} width={120} />
          </Stack>
          <Layers piece={piece} change={change} />
          <Bays piece={piece} change={change} placing={placing} onPlacing={onPlacing} />
          <Seat piece={piece} change={change} />
        </>
      )}
      <Typography variant="body2" color="text.secondary">
        Magnet pockets, pins, screws and clearances keep their true size whatever the scale.
        {r.site === "head" && " A helmet needs sight, breath, hearing and a quick way off; it protects nobody."}
      </Typography>
    </>
  );
}

/** How a plate follows the body, in figures. */
function PlateLine({ plate }: { plate: Schemas["PlateFit"] }) {
  const units = useUnits();
  return (
    <Typography variant="body2" color="text.secondary" role="note">
      Gap uneven by ± {units.length(plate.uneven_mm, 1)}, at best ± {units.length(plate.best_uneven_mm, 1)}; hardly worse from{" "}
      {units.percent(plate.from_scale)} to {units.percent(plate.to_scale)}. On the whole {units.length(plate.even_mm, 1)} off the layers.
      Covers {units.percent(plate.covers, 0)} of what it is meant for.
      {plate.openings.map((o) => (
        <span key={o.side}>
          {" "}
          Open on the {o.side}: {units.length(o.least_mm)} to {units.length(o.most_mm)}.
        </span>
      ))}
    </Typography>
  );
}

function Layers({ piece, change }: Pick<Props, "piece" | "change">) {
  const trade = useTrade();
  const layers = layersOf(piece);
  const set = (index: number, part: Partial<(typeof layers)[number]>) =>
    change({ layers: layers.map((l, i) => (i === index ? { ...l, ...part } : l)) });
  return (
    <Box role="group" aria-label="Layers between">
      <Typography variant="h3" component="h2">
        Between body and piece
      </Typography>
      {layers.map((layer, i) => (
        <Stack key={i} direction="row" spacing={1} sx={{ my: 0.75, alignItems: "center" }}>
          <Typography sx={{ flex: 1 }}>{layer.name}</Typography>
          <LengthField label="thick" value={layer.thickness_mm} onCommit={(v) => v !== null && set(i, { thickness_mm: v })} width={100} />
          <TextField
            select
            label="where"
            value={layer.where}
            onChange={(e) => set(i, { where: e.target.value as (typeof layers)[number]["where"] })}
            sx={{ width: 92 }}
          >
            {trade.data?.wheres.map((w) => (
              <MenuItem key={w} value={w}>
                {w}
              </MenuItem>
            ))}
          </TextField>
          <Button
            size="small"
            aria-label={`Remove ${layer.name}`}
            onClick={() => change({ layers: layers.filter((_, k) => k !== i) })}
            sx={{ minWidth: 0 }}
          >
            ×
          </Button>
        </Stack>
      ))}
      <TextField
        select
        label="Add a layer"
        value=""
        onChange={(e) =>
          trade.data &&
          change({ layers: [...layers, { name: e.target.value, thickness_mm: trade.data.layers[e.target.value], where: "all" }] })
        }
        sx={{ mt: 0.75, minWidth: 170 }}
      >
        {Object.keys(trade.data?.layers ?? {}).map((name) => (
          <MenuItem key={name} value={name}>
            {name}
          </MenuItem>
        ))}
      </TextField>
    </Box>
  );
}

function Bays({ piece, change, placing, onPlacing }: Props) {
  const trade = useTrade();
  const units = useUnits();
  const { inks } = useTheme().palette;
  const bays = piece.recipe.bays;
  const told = piece.fit_data?.answer?.bays ?? [];
  const set = (index: number, part: Partial<(typeof bays)[number]>) =>
    change({ bays: bays.map((b, i) => (i === index ? { ...b, ...part } : b)) });
  return (
    <Box role="group" aria-label="What goes inside">
      <Typography variant="h3" component="h2">
        What goes inside
      </Typography>
      {bays.map((bay, i) => (
        <Box key={i} sx={{ my: 0.75, pl: 1, borderLeft: `3px solid ${told[i] ? inks[told[i].fits ? "holds" : "stops"] : inks.line}` }}>
          <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
            {told[i] && <Mark verdict={told[i].fits ? "holds" : "stops"} />}
            <Typography sx={{ flex: 1 }}>{bay.name}</Typography>
            <Button
              size="small"
              aria-label={`Remove ${bay.name}`}
              onClick={() => change({ bays: bays.filter((_, k) => k !== i) })}
              sx={{ minWidth: 0 }}
            >
              ×
            </Button>
          </Stack>
          {told[i] && (
            <Typography variant="body2" color="text.secondary">
              {units.say(told[i].text)}
            </Typography>
          )}
          <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
            <BaySize bay={bay} onChange={(size_mm) => set(i, { size_mm })} />
          </Stack>
          <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
            <TextField
              select
              slotProps={EMPTY_SELECT}
              label={`Place of ${bay.name}`}
              value={bay.at_mm ? "placed" : bay.place}
              onChange={(e) => set(i, { place: e.target.value as (typeof bays)[number]["place"], at_mm: null })}
              sx={{ flex: 1 }}
            >
              {bay.at_mm && <MenuItem value="placed">as placed on the stage</MenuItem>}
              <MenuItem value="">wherever it fits best</MenuItem>
              {trade.data?.places.map((p) => (
                <MenuItem key={p} value={p}>
                  {p}
                </MenuItem>
              ))}
            </TextField>
            <Button variant={placing === i ? "contained" : "outlined"} onClick={() => onPlacing(placing === i ? null : i)}>
              Place it
            </Button>
          </Stack>
        </Box>
      ))}
      <TextField
        select
        label="Put something in"
        value=""
        onChange={(e) => {
          const usual = trade.data?.bays.find((b) => b.name === e.target.value);
          if (usual) change({ bays: [...bays, { ...usual, place: "" }] });
        }}
        sx={{ mt: 0.75, minWidth: 170 }}
      >
        {trade.data?.bays.map((b) => (
          <MenuItem key={b.name} value={b.name}>
            {b.name}, {b.round ? `round ${units.size([b.size_mm[0], b.size_mm[2]])}` : units.size(b.size_mm)}
          </MenuItem>
        ))}
      </TextField>
    </Box>
  );
}

function Seat({ piece, change }: Pick<Props, "piece" | "change">) {
  const shift = piece.recipe.shift_mm;
  const turn = piece.recipe.turn_deg;
  const moved = [...shift, ...turn].some((v) => v !== 0);
  return (
    <Box role="group" aria-label="Seat">
      <Typography variant="h3" component="h2">
        Position: moved and turned from where it comes to rest
      </Typography>
      <Stack direction="row" spacing={1} sx={{ mt: 0.75 }}>
        {["Left", "Back", "Up"].map((label, axis) => (
          <LengthField
            key={label}
            label={label}
            value={shift[axis]}
            onCommit={(v) => v !== null && change({ shift_mm: shift.map((s, i) => (i === axis ? v : s)) })}
            width={108}
          />
        ))}
      </Stack>
      <Stack direction="row" spacing={1} sx={{ mt: 1, alignItems: "center" }}>
        {["Pitch", "Roll", "Yaw"].map((label, axis) => (
          <NumberField
            key={label}
            label={label}
            suffix="°"
            value={turn[axis]}
            onCommit={(v) => v !== null && change({ turn_deg: turn.map((t, i) => (i === axis ? v : t)) })}
            width={108}
          />
        ))}
        {moved && <Button onClick={() => change({ shift_mm: [0, 0, 0], turn_deg: [0, 0, 0] })}>Reset</Button>}
      </Stack>
    </Box>
  );
}
