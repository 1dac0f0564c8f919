/** The shop's spools: what is left on each, how sure, and what it cost. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { api, need, useMaterials, useShop, useSpools, type Schemas } from "../api/client";
import { NumberField } from "../parts/Fields";
import { ErrorNote } from "../parts/Notes";
import { useUnits } from "../parts/units";
import { Weigh } from "./Floor";
import { useShopChange } from "./useShopChange";

export function Spools() {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const spools = useSpools();
  const materials = useMaterials();
  const shop = useShop();
  const [name, setName] = useState("");
  const [material, setMaterial] = useState("pla");
  const change = useShopChange(({ id, ...body }: Schemas["PatchedSpoolRequest"] & { id: number }) =>
    need(api.PATCH("/api/spools/{id}/", { params: { path: { id } }, body })),
  );
  const add = useShopChange((body: Schemas["SpoolRequest"]) => need(api.POST("/api/spools/", { body })));
  const remove = useShopChange((id: number) => need(api.DELETE("/api/spools/{id}/", { params: { path: { id } } })));
  const price = materials.data?.find((m) => m.key === material)?.price_per_kg ?? 20;
  return (
    <Box>
      <Typography variant="h2" gutterBottom>
        Spools
      </Typography>
      {spools.data?.map((s) => (
        <Stack
          key={s.id}
          direction="row"
          useFlexGap
          spacing={1.25}
          sx={{ flexWrap: "wrap", alignItems: "center", py: 1, borderBottom: `1px solid ${inks.line}` }}
          role="group"
          aria-label={s.name}
        >
          <Box sx={{ width: 150 }}>
            <Typography sx={{ fontWeight: 600 }}>{s.name}</Typography>
            <Typography variant="body2" color="text.secondary">
              {materials.data?.find((m) => m.key === s.material)?.name} {s.colour}
            </Typography>
          </Box>
          <NumberField
            label="New"
            suffix="g"
            width={110}
            value={s.net_g}
            onCommit={(v) => v !== null && change.mutate({ id: s.id, net_g: v })}
          />
          <NumberField
            label="Used"
            suffix="g"
            width={110}
            value={s.used_g}
            onCommit={(v) => v !== null && change.mutate({ id: s.id, used_g: v })}
          />
          <NumberField
            label="Price"
            suffix={`${shop.data?.currency ?? "€"}/kg`}
            width={120}
            value={s.price_per_kg}
            onCommit={(v) => v !== null && change.mutate({ id: s.id, price_per_kg: v })}
          />
          <NumberField
            label="Core"
            suffix="g"
            width={106}
            value={s.core_g ?? 0}
            onCommit={(v) => v !== null && change.mutate({ id: s.id, core_g: v })}
          />
          <TextField
            label="Opened"
            type="date"
            value={s.opened ?? ""}
            onChange={(e) => change.mutate({ id: s.id, opened: e.target.value || null })}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 134 }}
          />
          <TextField
            label="Dried"
            type="date"
            value={s.dried ?? ""}
            onChange={(e) => change.mutate({ id: s.id, dried: e.target.value || null })}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ width: 134 }}
          />
          <Typography sx={{ fontWeight: 600 }}>
            {units.grams(s.left_g)} ± {units.plain(s.sd_g, 0)} left
          </Typography>
          <Weigh spool={s} />
          <Button color="error" size="small" onClick={() => remove.mutate(s.id)}>
            Remove
          </Button>
        </Stack>
      ))}
      <Stack
        direction="row"
        spacing={1}
        sx={{ mt: 1.5 }}
        component="form"
        onSubmit={(e) => (e.preventDefault(), add.mutate({ name, material, price_per_kg: price }), setName(""))}
      >
        <TextField label="Name of a new spool" value={name} onChange={(e) => setName(e.target.value)} />
        <TextField
          select
          label="Material"
          value={materials.data ? material : ""}
          onChange={(e) => setMaterial(e.target.value)}
          sx={{ width: 180 }}
        >
          {materials.data?.map((m) => (
            <MenuItem key={m.key} value={m.key}>
              {m.name}
            </MenuItem>
          ))}
        </TextField>
        <Button type="submit" variant="outlined" disabled={!name.trim()}>
          Add
        </Button>
      </Stack>
      <ErrorNote error={change.error ?? add.error ?? remove.error} />
    </Box>
  );
}
