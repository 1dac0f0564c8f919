/** What was decided in a build: before and after, why, by whom and when. */
import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { makersName, setMakersName, type Schemas } from "../api/client";
import { useSteps } from "../api/deciding";
import { Busy, Empty, Failed } from "../parts/States";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";

const STATES: Record<string, string> = { kept: "", undone: "undone", passed: "undone, then decided otherwise" };

export default function Changes() {
  const build = Number(useParams().build);
  const steps = useSteps(build);
  if (steps.error) return <Failed error={steps.error} again={() => void steps.refetch()} />;
  if (!steps.data) return <Busy what="Reading what was decided" />;
  return (
    <Box sx={{ p: 2.5 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: "center", flexWrap: "wrap", mb: 1 }}>
        <Typography variant="h1" sx={{ flex: 1, minWidth: 260 }}>
          Changes
        </Typography>
        <Name />
      </Stack>
      {steps.data.steps.length === 0 ? (
        <Empty within title="No changes yet">
          <Typography>
            Every decision that is kept is listed here, and can be undone: Ctrl Z on the Wall, or on the piece’s page.
          </Typography>
        </Empty>
      ) : (
        <Box component="ol" aria-label="Changes" sx={{ listStyle: "none", m: 0, p: 0 }}>
          {steps.data.steps.map((step) => (
            <StepLine key={step.id} step={step} build={build} next={step.id === steps.data.undo?.id} />
          ))}
        </Box>
      )}
    </Box>
  );
}

function Name() {
  const [name, setName] = useState(makersName());
  return (
    <TextField
      label="Your name on this browser"
      value={name}
      slotProps={{ htmlInput: { maxLength: 60 } }}
      onChange={(e) => {
        setName(e.target.value);
        setMakersName(e.target.value);
      }}
      sx={{ width: 230 }}
    />
  );
}

function StepLine({ step, build, next }: { step: Schemas["StepRecord"]; build: number; next: boolean }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const undone = step.state !== "kept";
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "1fr", md: "190px 220px 1fr" },
        columnGap: 2,
        py: 0.75,
        borderBottom: `1px solid ${inks.line}`,
        borderLeft: `4px solid ${next ? inks.chosen : "transparent"}`,
        pl: 1.25,
      }}
    >
      <Typography color="text.secondary">
        {units.moment(step.at)}
        {step.by && `, ${step.by}`}
      </Typography>
      <Typography sx={{ fontFamily: SERIF, fontWeight: 600, textDecoration: undone ? "line-through" : undefined }}>
        {units.say(step.because)}
        {undone && (
          <Box component="span" sx={{ display: "inline-block", pl: 1, fontWeight: 400, color: "text.secondary" }}>
            {STATES[step.state]}
          </Box>
        )}
      </Typography>
      <Box>
        {step.parts.map((part) => (
          <Typography key={part.piece ?? "build"} variant="body2">
            {part.piece ? <Link to={`/build/${build}/piece/${part.piece}/fit`}>{part.name}</Link> : "This build"}
            {": "}
            {part.differences.map((d) => `${d.label} ${units.say(d.before)} → ${units.say(d.after)}`).join("; ")}
          </Typography>
        ))}
      </Box>
    </Box>
  );
}
