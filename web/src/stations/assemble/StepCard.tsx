/** One step in words: with what, how long, what to look at, what to mind, what goes on meanwhile; and what the maker may fix about it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { Link } from "react-router";
import type { Change, Detail, Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

type Step = Schemas["AssemblyStep"];

interface Props {
  piece: Detail;
  steps: Step[];
  index: number;
  change: (change: Change) => void;
}

export function StepCard({ piece, steps, index, change }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const step = steps[index];
  const minutes = (m: number) => `${units.plain(m, 0)} min`;
  const meanwhile = steps.map((s, i) => ({ s, i })).filter(({ s }) => step.meanwhile.includes(s.key));
  const later = steps.map((s, i) => ({ s, i })).filter(({ s }) => s.key !== step.key && s.kind !== "test");
  const closes = step.kind === "glue" ? step.seams.filter((l) => !l.includes("rod")) : [];
  const fixed = piece.recipe.fixed;
  const waits = [
    step.handle_h ? `handled after ${units.hours(step.handle_h)}` : "",
    step.full_h ? `strong after ${units.hours(step.full_h)}` : "",
  ].filter(Boolean);
  return (
    <Box sx={{ p: 2, overflowY: "auto", height: "100%" }}>
      <Typography variant="body2" color="text.secondary">
        Step {index + 1} of {steps.length}: day {step.day}, {step.clock}, {minutes(step.hands_min)} of hands
      </Typography>
      <Typography variant="h2" component="h2" sx={{ mt: 0.25 }}>
        {units.say(step.title)}
      </Typography>
      <Stack component="ul" spacing={0.75} sx={{ pl: 2.25, my: 1 }}>
        {[...step.how, ...step.check].map((said, i) => (
          <li key={i}>{units.say(said)}</li>
        ))}
        {step.by_clock && (
          <li>
            Mixed at {step.clock}, it has to be together by {step.by_clock}.
          </li>
        )}
        {waits.length > 0 && <li>{waits.join(", ").replace(/^./, (c) => c.toUpperCase())}.</li>}
        {step.spray_after !== null && step.hand_after !== null && (
          <li>
            After it spray still reaches {units.percent(step.spray_after, 0)} of the inside, a hand {units.percent(step.hand_after, 0)}.
          </li>
        )}
        {meanwhile.length > 0 && (
          <li>
            Meanwhile:{" "}
            {meanwhile
              .map(({ s, i }) => `${i + 1}. ${units.say(s.title)}`)
              .slice(0, 3)
              .join("; ")}
            {meanwhile.length > 3 && ` and ${meanwhile.length - 3} more`}.
          </li>
        )}
        {step.fails > 0 && step.lost_h + step.machine_lost_h > 0.05 && (
          <li>
            If it fails here ({units.percent(step.fails, 0)}), {units.hours(step.lost_h)} of hands are lost
            {step.machine_lost_h > 0 && ` and ${units.hours(step.machine_lost_h)} of prints are glued in`}.
          </li>
        )}
      </Stack>
      {step.caution && (
        <Typography variant="body2" sx={{ borderLeft: `4px dotted ${inks.faint}`, pl: 1.25, mb: 1.5 }}>
          {step.caution} The product’s own sheet and local rules come first.
        </Typography>
      )}
      {(step.kind === "dry" || step.kind === "test") && piece.fit?.judged && (
        <Typography sx={{ mb: 1.5 }}>
          <Link to="../fit" relative="path">
            Note what was found at Fit, “Tried on”
          </Link>
        </Typography>
      )}
      <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", alignItems: "center" }}>
        <TextField
          select
          label="Do this before"
          value=""
          onChange={(e) => change({ fixed: [...fixed, { first: step.key, then: e.target.value }] })}
          sx={{ minWidth: 190 }}
        >
          {later.map(({ s, i }) => (
            <MenuItem key={s.key} value={s.key}>
              {i + 1}. {units.say(s.title)}
            </MenuItem>
          ))}
        </TextField>
        {closes.map((letters) => (
          <Button key={letters} variant="outlined" onClick={() => change({ unglued: [...piece.recipe.unglued, letters] })}>
            Leave {letters} unglued
          </Button>
        ))}
      </Stack>
    </Box>
  );
}
