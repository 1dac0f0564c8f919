/** What other decisions would save, here or stations before: each opens as a draft. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useNavigate, useParams } from "react-router";
import type { Detail, Schemas } from "../../api/client";
import { useRemedy } from "../../api/deciding";
import { ErrorNote } from "../../parts/Notes";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";

export function Offers({ piece, data }: { piece: Detail; data: Schemas["FinishData"] }) {
  const units = useUnits();
  const go = useNavigate();
  const { build } = useParams();
  const remedy = useRemedy(piece.id, (draft) => void go(`/build/${build}/piece/${piece.id}/finish?draft=${draft}`));
  if (!data.offers.length) return null;
  const signed = (v: number, told: (v: number) => string) => (Math.abs(v) < 0.05 ? "±0" : `${v > 0 ? "+" : "−"}${told(Math.abs(v))}`);
  return (
    <Box role="group" aria-label="What other decisions would do">
      <Typography variant="h3" component="h2">
        What other decisions would do
      </Typography>
      <PlainTable label="Other decisions" numbersFrom={2} small>
        <thead>
          <tr>
            <th>Instead</th>
            <th>Hands</th>
            <th>Printer</th>
            <th>Packs</th>
            <th>Days</th>
          </tr>
        </thead>
        <tbody>
          {data.offers.map((o) => (
            <tr key={o.key}>
              <td>
                <Button
                  size="small"
                  variant="outlined"
                  disabled={remedy.isPending}
                  sx={{ borderStyle: "dashed", textAlign: "left", justifyContent: "flex-start" }}
                  title="Opens as a draft: computed, and kept only if you say so"
                  onClick={() => remedy.mutate({ label: o.label, change: o.change })}
                >
                  {units.say(o.label)}
                </Button>
                {o.note.words && (
                  <Typography variant="body2" color="text.secondary">
                    {units.say(o.note)}
                  </Typography>
                )}
              </td>
              <td>{signed(o.hands_h, units.hours)}</td>
              <td>{signed(o.printer_h, units.hours)}</td>
              <td>{signed(o.packs, (v) => units.plain(v, 0))}</td>
              <td>{signed(o.days, (v) => units.plain(v, 0))}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      <ErrorNote error={remedy.error} onClose={() => remedy.reset()} />
    </Box>
  );
}
