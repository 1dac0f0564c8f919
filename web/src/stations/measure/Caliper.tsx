/** The simulated caliper: sends a reading to the line in focus, as the real one would. */
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";

interface Props {
  wearer: number;
  field: string;
  onReading: (mm: number) => void;
}

export function Caliper({ wearer, field, onReading }: Props) {
  const units = useUnits();
  const [on, setOn] = useState(false);
  const [count, setCount] = useState(0);
  const [away, setAway] = useState(false);
  const read = useMutation({
    mutationFn: () =>
      need(
        api.POST("/api/wearers/{id}/caliper/", { params: { path: { id: wearer } }, body: { key: field, count, cut_off: away } as never }),
      ),
    onSuccess: (reading) => {
      setCount(count + 1);
      onReading(reading.value_mm);
    },
  });
  return (
    <Stack spacing={0.5} sx={{ mt: 1 }} role="group" aria-label="Caliper">
      <FormControlLabel control={<Switch checked={on} onChange={(_, v) => setOn(v)} />} label="Digital caliper (simulated)" />
      {on && (
        <>
          <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
            <Button variant="outlined" onClick={() => read.mutate()} disabled={!field || read.isPending}>
              Send a reading
            </Button>
            <FormControlLabel control={<Switch checked={away} onChange={(_, v) => setAway(v)} />} label="out of reach" />
          </Stack>
          {!field && <Typography variant="body2">Put the cursor in a line first.</Typography>}
          {read.data && (
            <Typography variant="body2" color={read.data.low ? "warning" : "text.secondary"}>
              Read {units.length(read.data.value_mm, 2)}; battery {units.percent(read.data.battery, 0)}
              {read.data.low && ": low, have a spare ready"}.
            </Typography>
          )}
          <ErrorNote error={read.error} />
        </>
      )}
    </Stack>
  );
}
