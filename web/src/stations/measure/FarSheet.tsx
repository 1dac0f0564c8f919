/** What a far-away wearer sees: their own sheet, nothing else, made for a phone. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { api, need } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";
import { formats } from "../../parts/units";
import { MeasureFigure } from "./MeasureFigure";
import { useDrawings } from "./Sheet";

export default function FarSheet() {
  const token = useParams().token ?? "";
  const drawings = useDrawings();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [by, setBy] = useState("");
  const [system, setSystem] = useState<"mm" | "in">("mm");
  const [open, setOpen] = useState("");
  const units = formats(system);
  const sheet = useQuery({
    queryKey: ["far", token],
    queryFn: () => need(api.GET("/api/far/{token}/", { params: { path: { token } } })),
    retry: false,
  });
  const check = useQuery({
    queryKey: ["check", system, typed],
    queryFn: () => need(api.POST("/api/wearers/check/", { body: { typed, units: system } })),
    placeholderData: (before) => before,
  });
  const send = useMutation({
    mutationFn: () => need(api.POST("/api/far/{token}/", { params: { path: { token } }, body: { typed, units: system, by } })),
    onSuccess: () => (setTyped({}), void sheet.refetch()),
  });
  if (sheet.error) return <ErrorNote error={sheet.error} />;
  if (!sheet.data) return <Typography sx={{ p: 3 }}>Opening the sheet …</Typography>;
  const problems = check.data?.problems ?? {};
  const doubts = check.data?.doubts ?? {};
  return (
    <Box sx={{ p: 2, maxWidth: 560, mx: "auto", width: "100%" }}>
      <Typography variant="h1">Measurements of {sheet.data.name}</Typography>
      <Typography sx={{ my: 1 }}>
        Somebody else with a tape makes this easier. Touch a line to see where it is taken. What you send goes to the maker and is shown to
        nobody else. Open until {units.date(sheet.data.expires)}.
      </Typography>
      <TextField
        select
        label="My tape shows"
        value={system}
        onChange={(e) => setSystem(e.target.value as "mm" | "in")}
        sx={{ mb: 2, minWidth: 180 }}
      >
        <MenuItem value="mm">millimetres or cm</MenuItem>
        <MenuItem value="in">inches</MenuItem>
      </TextField>
      <Stack spacing={2} component="form" onSubmit={(e) => (e.preventDefault(), send.mutate())}>
        {sheet.data.rows.map((row) => (
          <Box key={row.key}>
            <TextField
              fullWidth
              label={`${row.name} (${units.unit})`}
              value={typed[row.key] ?? ""}
              placeholder={sheet.data.sent[row.key] ? `sent: ${units.length(sheet.data.sent[row.key])}` : "like 56.5 cm"}
              error={!!problems[row.key]}
              helperText={problems[row.key] ? units.say(problems[row.key]) : doubts[row.key] ? units.say(doubts[row.key]) : row.how}
              onFocus={() => setOpen(row.key)}
              onChange={(e) => setTyped({ ...typed, [row.key]: e.target.value })}
              slotProps={{ inputLabel: { shrink: true } }}
            />
            {open === row.key && <MeasureFigure drawings={drawings.data} row={row} height={240} />}
          </Box>
        ))}
        <TextField label="Measured by" value={by} onChange={(e) => setBy(e.target.value)} />
        <Button
          type="submit"
          variant="contained"
          size="large"
          disabled={send.isPending || Object.keys(problems).length > 0 || !Object.values(typed).some((t) => t.trim())}
        >
          Send
        </Button>
        {send.isSuccess && <Typography role="status">Sent. You can correct a line and send it once more.</Typography>}
        <ErrorNote error={send.error} />
      </Stack>
    </Box>
  );
}
