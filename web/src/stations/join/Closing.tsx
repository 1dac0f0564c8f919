/** A seam that comes off: what hangs on it, how surely it stays, and which pole of which magnet looks where. */
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";

const WAYS: Record<string, string> = { pull: "it is pulled straight off", peel: "it tips off over an edge", shear: "it slides off" };

export function Closing({ seam, closing }: { seam: Schemas["SeamRecord"]; closing: Schemas["ClosingRecord"] }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const letter = (name: string) => name.replace(/^.*-/, "");
  const [above, below] = seam.letters.split("-");
  const magnets = seam.joints.filter((j) => j.kind === "magnet");
  const [first] = magnets;
  const disc = (where: "above" | "below") =>
    `${units.plainLength(first.sizes[`diameter_${where}_mm`])} × ${units.length(first.sizes[`thick_${where}_mm`], 0)}`;
  const enough = closing.safety >= closing.wanted;
  return (
    <Box aria-label="What comes off" role="group">
      <Typography variant="body2">
        {closing.parts.map(letter).join(" + ")} comes off: {units.grams(closing.mass_g)}, balanced {units.length(closing.lever_mm)} off the
        face. {units.count(closing.pairs, "pair")} of {units.plain(closing.force_n, 1)} N each, warm.
      </Typography>
      <Typography variant="body2" sx={{ fontWeight: 600, color: enough ? inks.holds : inks.tight }}>
        Safety {units.plain(closing.safety, 1)}, wanted {units.plain(closing.wanted, 1)}: least in {closing.pose}, where {WAYS[closing.way]}
        .
      </Typography>
      <Typography variant="body2">
        {closing.keyed ? "Two pins keep it from sliding: glue them into one side only." : "Nothing keeps it from sliding but friction."}
      </Typography>
      <PlainTable label="Poles" numbersFrom={2} small>
        <thead>
          <tr>
            <th>Magnet</th>
            {magnets.map((m) => (
              <th key={m.sizes.number}>
                {seam.number}.{m.sizes.number}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {[true, false].map((top) => (
            <tr key={String(top)}>
              <td>
                {top ? above : below}, {disc(top ? "above" : "below")}
              </td>
              {magnets.map((m) => (
                <td key={m.sizes.number}>{m.sizes.pole * (top ? -1 : 1) > 0 ? "+" : "−"}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </PlainTable>
      <Typography variant="body2" color="text.secondary">
        The sign looks out of its pocket; a face is + where the gauge’s − side pulls it.{" "}
        <Link href={`/api/coupons/pole-gauge/?disc=${closing.comes}`}>Pole gauge</Link>. Set all of one side and let the glue harden. Then
        lay cling film over them, put the other discs on with glue in their pockets, close the halves, and leave them until it is hard.
      </Typography>
      <Typography variant="body2" component="div">
        For the same hold instead:{" "}
        {closing.others
          .map((o) => (o.unit ? `${o.count} ${o.unit} of ${o.name.toLowerCase()}` : `${o.count} × ${o.name.toLowerCase()}`))
          .join("; ")}
        .
        {closing.others
          .filter((o) => o.caution)
          .map((o) => (
            <Typography key={o.name} variant="caption" color="text.secondary" component="div">
              {o.name}: {o.caution}
            </Typography>
          ))}
        <Typography variant="caption" color="text.secondary" component="div">
          Magnets snap together and shatter: eyes and fingers kept clear. Away from children, who swallow them, and from pacemakers. Hot
          glue and a hot car weaken them.
        </Typography>
      </Typography>
    </Box>
  );
}
