/** One joint with the pieces on: drawn at rest and as far as it gets, with how far it has to. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Schemas } from "../../api/client";
import { Mark } from "../../parts/Mark";
import { useUnits } from "../../parts/units";

export function JointCard({ drawn }: { drawn: Schemas["DrawnContact"] }) {
  const { contact, drawing } = drawn;
  const { inks } = useTheme().palette;
  const units = useUnits();
  const name = contact.side ? `${contact.side} ${contact.joint}` : contact.joint;
  return (
    <Box
      role="article"
      aria-label={name}
      sx={{ border: `1px solid ${inks.line}`, p: 1.25, display: "flex", flexDirection: "column", gap: 0.75 }}
    >
      {drawing && <JointDrawing contact={contact} drawing={drawing} name={name} />}
      <Reach contact={contact} />
      <Typography variant="body2">
        <Mark verdict={contact.verdict} /> {units.say(contact.text)}
      </Typography>
      <Typography variant="body2" color="text.secondary">
        {contact.stays} and {contact.goes}, at rest: {contact.gap_mm > 0 ? `${units.length(contact.gap_mm)} apart` : "no gap"}.
      </Typography>
    </Box>
  );
}

interface DrawingProps {
  contact: Schemas["Contact"];
  drawing: Schemas["JointDrawing"];
  name: string;
}

export function JointDrawing({ contact, drawing, name }: DrawingProps) {
  const { inks } = useTheme().palette;
  const stroke = Math.max(drawing.box[2], drawing.box[3]) / 160;
  return (
    <svg viewBox={drawing.box.join(" ")} height={190} role="img" aria-label={`${name}: at rest and at ${contact.reaches_deg.toFixed(0)}°`}>
      <path d={drawing.rests} fill="none" stroke={inks.faint} strokeWidth={stroke} strokeDasharray={`${stroke * 3} ${stroke * 2}`} />
      <path d={drawing.stays} fill={inks.parts[1]} stroke={inks.ink} strokeWidth={stroke} fillRule="evenodd" />
      <path
        d={drawing.reached}
        fill={inks.parts[3]}
        fillOpacity={0.65}
        stroke={inks[contact.verdict === "waits" ? "faint" : contact.verdict]}
        strokeWidth={stroke * 1.6}
        fillRule="evenodd"
      />
      <circle cx={drawing.pivot[0]} cy={drawing.pivot[1]} r={stroke * 2.5} fill={inks.paper} stroke={inks.ink} strokeWidth={stroke} />
    </svg>
  );
}

/** From straight to what a bare body does: how much of it is left, and the mark that has to be reached. */
export function Reach({ contact }: { contact: Schemas["Contact"] }) {
  const { inks } = useTheme().palette;
  const share = (deg: number) => `${(100 * deg) / contact.usual_deg}%`;
  return (
    <Box
      role="img"
      aria-label={`${contact.reaches_deg.toFixed(0)}° of ${contact.usual_deg.toFixed(0)}°, ${contact.needs_deg.toFixed(0)}° needed`}
      sx={{ position: "relative", height: 30 }}
    >
      <Box sx={{ position: "absolute", top: 2, left: 0, right: 0, height: 10, border: `1px solid ${inks.line}` }} />
      <Box
        sx={{
          position: "absolute",
          top: 2,
          left: 0,
          width: share(contact.reaches_deg),
          height: 10,
          bgcolor: inks[contact.verdict === "waits" ? "faint" : contact.verdict],
        }}
      />
      <Box sx={{ position: "absolute", top: -1, left: share(contact.needs_deg), width: 2, height: 16, bgcolor: inks.ink }} />
      <Typography
        variant="body2"
        sx={{ position: "absolute", top: 13, left: share(contact.needs_deg), transform: "translateX(-50%)", fontSize: 12 }}
      >
        {contact.needs_deg.toFixed(0)}°
      </Typography>
    </Box>
  );
}
