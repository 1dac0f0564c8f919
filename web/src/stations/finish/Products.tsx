/** What is bought for it, and the figures of each product's own sheet where they are other than usual. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useTrade, type Change, type Detail } from "../../api/client";
import { NumberField } from "../../parts/Fields";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";

export function Products({ piece, change }: { piece: Detail; change: (change: Change) => void }) {
  const units = useUnits();
  const trade = useTrade().data?.finish;
  const [open, setOpen] = useState<string | null>(null);
  const needed = piece.finish?.products ?? [];
  const own = piece.recipe.products;
  const usual = open ? (own.find((p) => p.key === open) ?? trade?.products.find((p) => p.key === open)) : undefined;
  const keyOf = (name: string) => [...own, ...(trade?.products ?? [])].find((p) => p.name === name)?.key ?? null;
  const keep = (figures: Partial<NonNullable<typeof usual>>) =>
    usual && change({ products: [...own.filter((p) => p.key !== usual.key), { ...usual, ...figures }] });
  return (
    <Box role="group" aria-label="To buy">
      <Typography variant="h3" component="h2">
        To buy
      </Typography>
      <PlainTable label="Products" numbersFrom={2} small>
        <tbody>
          {needed.map((n) => (
            <tr key={n.name}>
              <td>
                {keyOf(n.name) ? (
                  <Button
                    size="small"
                    sx={{ p: 0, minHeight: 28, justifyContent: "flex-start", textAlign: "left" }}
                    aria-expanded={open === keyOf(n.name)}
                    onClick={() => setOpen(open === keyOf(n.name) ? null : keyOf(n.name))}
                  >
                    {n.name}
                  </Button>
                ) : (
                  n.name
                )}
              </td>
              <td>{n.unit === "ml" ? units.millilitres(n.amount) : ""}</td>
              <td>{units.count(n.packs, n.pack)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {usual && (
        <Box sx={{ mt: 1 }}>
          <Typography variant="body2" color="text.secondary">
            As the product’s own sheet says; the usual figures: {usual.source}.
          </Typography>
          <Stack direction="row" useFlexGap spacing={1} sx={{ mt: 1, flexWrap: "wrap" }}>
            <NumberField
              label="Sanded after"
              suffix="h"
              width={130}
              value={usual.sand_h}
              onCommit={(v) => v !== null && keep({ sand_h: v, thick_h: Math.max(v, usual.thick_h) })}
            />
            <NumberField
              label="Thick, after"
              suffix="h"
              width={130}
              value={usual.thick_h}
              onCommit={(v) => v !== null && keep({ thick_h: v })}
            />
            <NumberField label="Pack" suffix="ml" width={110} value={usual.pack_ml} onCommit={(v) => v !== null && keep({ pack_ml: v })} />
            {own.some((p) => p.key === usual.key) && (
              <Button size="small" onClick={() => change({ products: own.filter((p) => p.key !== usual.key) })}>
                As usual
              </Button>
            )}
          </Stack>
        </Box>
      )}
    </Box>
  );
}
