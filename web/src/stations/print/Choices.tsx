/** What other choices for the whole print would take, each reckoned on the parts as they lie, beside what is chosen. */
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Change, Schemas } from "../../api/client";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";

interface Props {
  options: Schemas["Option"][];
  change: (change: Change) => void;
}

export function Choices({ options, change }: Props) {
  const units = useUnits();
  const more = (value: number, unit: string, digits: number) => {
    const rounded = Number(value.toFixed(digits));
    return rounded === 0 ? "same" : `${rounded > 0 ? "+" : ""}${units.plain(rounded, digits)} ${unit}`;
  };
  return (
    <PlainTable label="Other choices" numbersFrom={2} small>
      <thead>
        <tr>
          <th>Instead</th>
          <th>Printer</th>
          <th>Filament</th>
          <th>Hands</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {options.map((option) => (
          <tr key={units.say(option.called)}>
            <td>
              {units.say(option.called)}
              {option.why.words && (
                <Typography variant="body2" color="text.secondary">
                  {units.say(option.why)}
                </Typography>
              )}
            </td>
            <td>{more(option.more_h, "h", 1)}</td>
            <td>{more(option.more_g, "g", 0)}</td>
            <td>{more(option.more_hands_h, "h", 1)}</td>
            <td>
              <Button size="small" aria-label={`Choose: ${units.say(option.called)}`} onClick={() => change(option.change as Change)}>
                Choose
              </Button>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
