/** The clearance coupon: printed once for each printer and material; what fitted on it is used from then on. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, useMaterials, usePrinters, useTrade, type Schemas } from "../api/client";
import { ErrorNote } from "../parts/Notes";
import { useShopChange } from "./useShopChange";

type Fit = Schemas["CouponFit"];
type Field = "pin_mm" | "key_mm" | "magnet_mm" | "insert_mm" | "thread_mm";

export function Coupons() {
  const { inks } = useTheme().palette;
  const coupons = useQuery({ queryKey: ["coupons"], queryFn: () => need(api.GET("/api/coupons/")) });
  const printers = usePrinters().data?.filter((p) => p.kind !== "resin") ?? [];
  const materials = useMaterials().data ?? [];
  const ladders = useTrade().data?.ladders ?? [];
  const [printer, setPrinter] = useState("");
  const [material, setMaterial] = useState("pla");
  const change = useShopChange(({ id, ...body }: Schemas["PatchedCouponFitRequest"] & { id: number }) =>
    need(api.PATCH("/api/coupons/{id}/", { params: { path: { id } }, body })),
  );
  const add = useShopChange((body: Schemas["CouponFitRequest"]) => need(api.POST("/api/coupons/", { body })));
  const remove = useShopChange((id: number) => need(api.DELETE("/api/coupons/{id}/", { params: { path: { id } } })));
  const name = (fit: Fit) =>
    `${printers.find((p) => p.id === fit.printer)?.name ?? "?"}, ${materials.find((m) => m.key === fit.material)?.name ?? fit.material}`;
  return (
    <Box component="section" aria-label="Clearance coupons">
      <Typography variant="h2" gutterBottom>
        Clearance coupons
      </Typography>
      <Typography variant="body2" color="text.secondary">
        Print it once on each printer in each material. Enter the tightest hole that still takes its pin, tongue or disc by hand; for
        inserts and screws the hole that held. Figures on it are hundredths of a millimetre. Pieces for several printers take the loosest.
      </Typography>
      {coupons.data?.map((fit) => (
        <Stack
          key={fit.id}
          direction="row"
          useFlexGap
          spacing={1.25}
          role="group"
          aria-label={`Coupon ${name(fit)}`}
          sx={{ flexWrap: "wrap", alignItems: "center", py: 1, borderBottom: `1px solid ${inks.line}` }}
        >
          <Typography sx={{ width: 150, fontWeight: 600 }}>{name(fit)}</Typography>
          {ladders.map((ladder) => (
            <TextField
              key={ladder.field}
              select
              label={ladder.name}
              value={fit[ladder.field as Field] ?? ""}
              onChange={(e) => change.mutate({ id: fit.id, [ladder.field]: e.target.value === "" ? null : Number(e.target.value) })}
              sx={{ width: 172 }}
            >
              <MenuItem value="">not tried</MenuItem>
              {ladder.steps_mm.map((step) => (
                <MenuItem key={step} value={step}>
                  {step > 0 && ladder.steps_mm[0] < 0 ? "+" : ""}
                  {step.toFixed(2)} mm
                </MenuItem>
              ))}
            </TextField>
          ))}
          <Button aria-label={`Remove coupon ${name(fit)}`} onClick={() => remove.mutate(fit.id)} sx={{ minWidth: 0 }}>
            ×
          </Button>
        </Stack>
      ))}
      <Stack direction="row" spacing={1} useFlexGap sx={{ mt: 1.5, flexWrap: "wrap" }}>
        <Button variant="outlined" href="/api/coupons/coupon/">
          Download the coupon
        </Button>
        <TextField select label="Printed on" value={printer} onChange={(e) => setPrinter(e.target.value)} sx={{ width: 170 }}>
          {printers.map((p) => (
            <MenuItem key={p.id} value={String(p.id)}>
              {p.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="of" value={material} onChange={(e) => setMaterial(e.target.value)} sx={{ width: 190 }}>
          {materials.map((m) => (
            <MenuItem key={m.key} value={m.key}>
              {m.name}
            </MenuItem>
          ))}
        </TextField>
        <Button
          variant="contained"
          disabled={!printer || coupons.data?.some((f) => f.printer === Number(printer) && f.material === material)}
          onClick={() => add.mutate({ printer: Number(printer), material })}
        >
          Enter what fitted
        </Button>
      </Stack>
      <ErrorNote error={add.error ?? change.error ?? remove.error} onClose={() => (add.reset(), change.reset(), remove.reset())} />
    </Box>
  );
}
