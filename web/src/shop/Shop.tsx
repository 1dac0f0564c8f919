/** The shop: printers, spools, and the defaults every new piece starts from. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { api, need, usePrinters, useShop, type Schemas } from "../api/client";
import { BaySize } from "../parts/BaySize";
import { LengthField, NumberField } from "../parts/Fields";
import { ErrorNote } from "../parts/Notes";
import { Coupons } from "./Coupons";
import { DaysAway, PrinterMore } from "./Floor";
import { Spools } from "./Spools";
import { useShopChange } from "./useShopChange";

export default function Shop() {
  return (
    <Stack spacing={4} sx={{ p: 2.5, maxWidth: 1280 }}>
      <Typography variant="h1">Shop</Typography>
      <Printers />
      <Spools />
      <Coupons />
      <Bays />
      <Defaults />
    </Stack>
  );
}

const WEIGHTS = [
  ["weigh_supports", "An hour at supports"],
  ["weigh_scars", "An hour at scars"],
  ["weigh_steps", "An hour at steps"],
  ["weigh_seams", "An hour at seams"],
  ["weigh_money", "A unit of money"],
] as const;
const USUAL_SIZE = { filament: { x_mm: 220, y_mm: 220, z_mm: 250 }, resin: { x_mm: 143, y_mm: 89, z_mm: 175, margin_mm: 3 } };

function Printers() {
  const { inks } = useTheme().palette;
  const printers = usePrinters();
  const [name, setName] = useState("");
  const [kind, setKind] = useState<"filament" | "resin">("filament");
  const change = useShopChange(({ id, ...body }: Schemas["PatchedPrinterRequest"] & { id: number }) =>
    need(api.PATCH("/api/printers/{id}/", { params: { path: { id } }, body })),
  );
  const add = useShopChange((body: Schemas["PrinterRequest"]) => need(api.POST("/api/printers/", { body })));
  const remove = useShopChange((id: number) => need(api.DELETE("/api/printers/{id}/", { params: { path: { id } } })));
  return (
    <Box>
      <Typography variant="h2" gutterBottom>
        Printers
      </Typography>
      {printers.data?.map((p) => (
        <Stack
          key={p.id}
          direction="row"
          useFlexGap
          spacing={1.25}
          sx={{ flexWrap: "wrap", alignItems: "center", py: 1, borderBottom: `1px solid ${inks.line}` }}
          role="group"
          aria-label={p.name}
        >
          <Typography sx={{ width: 96, fontWeight: 600 }}>{p.name}</Typography>
          <LengthField label="Width" width={106} value={p.x_mm} onCommit={(v) => v !== null && change.mutate({ id: p.id, x_mm: v })} />
          <LengthField label="Depth" width={106} value={p.y_mm} onCommit={(v) => v !== null && change.mutate({ id: p.id, y_mm: v })} />
          <LengthField label="Height" width={106} value={p.z_mm} onCommit={(v) => v !== null && change.mutate({ id: p.id, z_mm: v })} />
          <LengthField
            label="Margin"
            width={112}
            value={p.margin_mm}
            onCommit={(v) => v !== null && change.mutate({ id: p.id, margin_mm: v })}
          />
          {p.kind === "resin" ? (
            <>
              <NumberField
                label="Layer"
                suffix="mm"
                width={116}
                value={p.resin_layer_mm ?? null}
                onCommit={(v) => v !== null && change.mutate({ id: p.id, resin_layer_mm: v })}
              />
              <NumberField
                label="Exposure"
                suffix="s"
                width={126}
                value={p.exposure_s ?? null}
                onCommit={(v) => v !== null && change.mutate({ id: p.id, exposure_s: v })}
              />
              <NumberField
                label="Lift"
                suffix="s"
                width={116}
                value={p.lift_s ?? null}
                onCommit={(v) => v !== null && change.mutate({ id: p.id, lift_s: v })}
              />
              <Typography color="text.secondary">resin</Typography>
            </>
          ) : (
            <>
              <NumberField
                label="Speed"
                suffix="mm/s"
                width={126}
                value={p.speed_mm_s}
                onCommit={(v) => v !== null && change.mutate({ id: p.id, speed_mm_s: v })}
              />
              <NumberField
                label="Acceleration"
                suffix="mm/s²"
                width={164}
                value={p.acceleration_mm_s2}
                onCommit={(v) => v !== null && change.mutate({ id: p.id, acceleration_mm_s2: v })}
              />
              <FormControlLabel
                control={<Checkbox checked={p.bed_moves} onChange={(_, on) => change.mutate({ id: p.id, bed_moves: on })} />}
                label="Bed moves (Y)"
              />
            </>
          )}
          <PrinterMore printer={p} change={(body) => change.mutate({ id: p.id, ...body })} />
          <Button color="error" size="small" onClick={() => remove.mutate(p.id)}>
            Remove
          </Button>
        </Stack>
      ))}
      <Stack
        direction="row"
        spacing={1}
        sx={{ mt: 1.5 }}
        component="form"
        onSubmit={(e) => (e.preventDefault(), add.mutate({ name, kind, ...USUAL_SIZE[kind] }), setName(""))}
      >
        <TextField label="Name of a new printer" value={name} onChange={(e) => setName(e.target.value)} />
        <TextField select label="Prints" value={kind} onChange={(e) => setKind(e.target.value as typeof kind)} sx={{ width: 130 }}>
          <MenuItem value="filament">filament</MenuItem>
          <MenuItem value="resin">resin</MenuItem>
        </TextField>
        <Button type="submit" variant="outlined" disabled={!name.trim()}>
          Add
        </Button>
      </Stack>
      <ErrorNote error={change.error ?? add.error ?? remove.error} />
    </Box>
  );
}

/** The table the fit chooses from; pieces keep the sizes they were given. */
function Bays() {
  const { inks } = useTheme().palette;
  const shop = useShop();
  const [name, setName] = useState("");
  const [round, setRound] = useState(false);
  const save = useShopChange((bays: Schemas["UsualBayRequest"][]) => need(api.PATCH("/api/shop/", { body: { bays } })));
  const bays = shop.data?.bays ?? [];
  return (
    <Box component="section" aria-label="What goes inside">
      <Typography variant="h2" gutterBottom>
        What goes inside
      </Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(520px, 1fr))", columnGap: 3 }}>
        {bays.map((bay, i) => (
          <Stack
            key={bay.name}
            direction="row"
            spacing={1}
            role="group"
            aria-label={bay.name}
            sx={{ alignItems: "center", py: 0.75, borderBottom: `1px solid ${inks.line}` }}
          >
            <Typography sx={{ flex: 1 }}>
              {bay.name}
              {bay.round && ", round"}
            </Typography>
            <BaySize bay={bay} onChange={(size_mm) => save.mutate(bays.map((b, k) => (k === i ? { ...b, size_mm } : b)))} />
            <Button aria-label={`Remove ${bay.name}`} onClick={() => save.mutate(bays.filter((_, k) => k !== i))} sx={{ minWidth: 0 }}>
              ×
            </Button>
          </Stack>
        ))}
      </Box>
      <Stack direction="row" spacing={1} sx={{ mt: 1.5, alignItems: "center" }}>
        <TextField label="Something else" value={name} onChange={(e) => setName(e.target.value)} sx={{ width: 220 }} />
        <FormControlLabel control={<Checkbox checked={round} onChange={(_, on) => setRound(on)} />} label="round" />
        <Button
          variant="outlined"
          disabled={!name.trim()}
          onClick={() => (save.mutate([...bays, { name: name.trim(), size_mm: [40, 40, 10], round }]), setName(""))}
        >
          Add
        </Button>
      </Stack>
      <ErrorNote error={save.error} onClose={() => save.reset()} />
    </Box>
  );
}

function Defaults() {
  const shop = useShop();
  const change = useShopChange((body: Schemas["PatchedShopRequest"]) => need(api.PATCH("/api/shop/", { body })));
  const s = shop.data;
  if (!s) return null;
  return (
    <Box>
      <Typography variant="h2" gutterBottom>
        Defaults
      </Typography>
      <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: "wrap", pt: 1 }}>
        <TextField
          select
          label="Lengths in"
          value={s.units}
          onChange={(e) => change.mutate({ units: e.target.value as "mm" | "in" })}
          sx={{ width: 150 }}
        >
          <MenuItem value="mm">millimetres</MenuItem>
          <MenuItem value="in">inches</MenuItem>
        </TextField>
        <LengthField label="Padding each side" width={180} value={s.pad_mm} onCommit={(v) => v !== null && change.mutate({ pad_mm: v })} />
        <LengthField
          label="Models made for"
          width={180}
          value={s.made_for_mm}
          onCommit={(v) => v !== null && change.mutate({ made_for_mm: v })}
        />
        <NumberField
          label="Clearance per side"
          suffix="mm"
          width={220}
          value={s.pin_clearance_mm}
          onCommit={(v) => v !== null && change.mutate({ pin_clearance_mm: v })}
        />
        <NumberField
          label="Wall round a pin"
          suffix="mm"
          width={190}
          value={s.pin_wall_mm}
          onCommit={(v) => v !== null && change.mutate({ pin_wall_mm: v })}
        />
        <NumberField
          label="Resin"
          suffix="per litre"
          width={150}
          value={s.resin_price_per_l ?? null}
          onCommit={(v) => v !== null && change.mutate({ resin_price_per_l: v })}
        />
        {WEIGHTS.map(([field, label]) => (
          <NumberField
            key={field}
            label={label}
            suffix="h"
            width={190}
            value={s[field] ?? null}
            onCommit={(v) => v !== null && change.mutate({ [field]: v })}
            helper="weighs so many printer hours"
          />
        ))}
        <NumberField
          label="Planning factor"
          width={150}
          value={s.planning_factor}
          onCommit={(v) => v !== null && change.mutate({ planning_factor: v })}
          helper="hours times this"
        />
        <NumberField
          label="Awake from"
          suffix="h"
          width={140}
          value={s.wake_from_h}
          onCommit={(v) => v !== null && change.mutate({ wake_from_h: v })}
        />
        <NumberField
          label="to"
          suffix="h"
          width={110}
          value={s.wake_to_h}
          onCommit={(v) => v !== null && change.mutate({ wake_to_h: v })}
        />
        <NumberField
          label="Power"
          suffix="per kWh"
          width={140}
          value={s.power_price_per_kwh ?? null}
          onCommit={(v) => v !== null && change.mutate({ power_price_per_kwh: v })}
        />
        <DaysAway days={(s.away as string[]) ?? []} onChange={(away) => change.mutate({ away })} />
        <TextField
          label="Currency"
          defaultValue={s.currency}
          onBlur={(e) => e.target.value !== s.currency && change.mutate({ currency: e.target.value })}
          sx={{ width: 110 }}
        />
      </Stack>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
        Clearance, wall, padding and planning factor are common practice to begin with; print a coupon and put your own figures here.
      </Typography>
      <ErrorNote error={change.error} />
    </Box>
  );
}
