/** What mending costs: a part made again now and later, a rim made wider. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Change, Detail, Schemas } from "../../api/client";
import { DecisionField } from "../../parts/DecisionField";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";

interface Props {
  data: Schemas["AssembleData"];
  /** The step that is looked at: what is glued by then. */
  chosen: number;
  piece: Detail;
  change: (change: Change) => void;
}

const RIM: Record<string, string> = { heat: "flared by heat", open: "opened by burr and paper", all: "all printed larger" };

export function Mends({ data, chosen, piece, change }: Props) {
  const units = useUnits();
  const { mends, steps } = data;
  // The last closing up to the step that is looked at.
  const closings = new Set(mends.map((m) => m.after));
  const after = steps.slice(0, chosen + 1).reduce((last, s) => (closings.has(s.key) ? s.key : last), "");
  const rims = mends.filter((m) => m.what !== "reprint");
  const parts = [...new Set(mends.filter((m) => m.what === "reprint").map((m) => m.part))];
  const takes = (m: Schemas["Mend"]) =>
    [m.printer_h > 0 && `${units.hours(m.printer_h)} printer`, m.hands_h > 0.05 && `${units.hours(m.hands_h)} hands`]
      .filter(Boolean)
      .join(", ");
  return (
    <Box role="group" aria-label="If something has to be made again">
      <Typography variant="h3" component="h2">
        If something has to be made again
      </Typography>
      <PlainTable label="Parts made again" numbersFrom={2} small>
        <thead>
          <tr>
            <th>Part</th>
            <th>{after === "" ? "Before glue" : `After step ${steps.findIndex((s) => s.key === after) + 1}`}</th>
            <th>At the end</th>
          </tr>
        </thead>
        <tbody>
          {parts.map((part) => {
            const mine = mends.filter((m) => m.part === part);
            const now = mine.find((m) => m.after === after) ?? mine[0];
            const last = mine[mine.length - 1];
            return (
              <tr key={part}>
                <td>{part.replace(/^.*-/, "")}</td>
                {[now, last].map((m, i) => (
                  <td key={i}>
                    {units.hours(m.printer_h)}
                    {m.hands_h > 0.05 && ` + ${units.hours(m.hands_h)} hands`}
                    <br />
                    {units.count(m.days, "day")}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </PlainTable>
      {rims.length > 0 && (
        <Box sx={{ mt: 1.5 }}>
          <DecisionField of="rim_mm" piece={piece} change={change} width={240} usual={rims[0].by_mm} />
        </Box>
      )}
      {rims.length > 0 && (
        <PlainTable label="A rim made wider" numbersFrom={2} small>
          <thead>
            <tr>
              <th>The tightest rim {units.length(rims[0].by_mm, 1)} wider</th>
              <th>Takes</th>
            </tr>
          </thead>
          <tbody>
            {rims.map((m) => (
              <tr key={m.what}>
                <td>
                  {RIM[m.what]}
                  <Typography variant="body2" color="text.secondary">
                    {units.say(m.said)} {m.caution}
                  </Typography>
                </td>
                <td>{m.possible ? takes(m) : "cannot be"}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      )}
    </Box>
  );
}
