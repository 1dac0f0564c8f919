/** What the shop knows of its floor: clips on a bed, a printer that is watched, a spool on the scale, days with nobody there. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { LengthField, NumberField } from "../parts/Fields";
import { ErrorNote } from "../parts/Notes";
import { useUnits } from "../parts/units";
import { useShopChange } from "./useShopChange";

type Clip = [number, number][];

interface MoreProps {
  printer: Schemas["Printer"];
  change: (body: Schemas["PatchedPrinterRequest"]) => void;
}

export function PrinterMore({ printer, change }: MoreProps) {
  const [open, setOpen] = useState(false);
  const clips = (printer.clips as Clip[] | undefined) ?? [];
  const put = (index: number, box: number[]) => {
    const [x, y, w, d] = box;
    const corners: Clip = [
      [x, y],
      [x + w, y],
      [x + w, y + d],
      [x, y + d],
    ];
    change({ clips: clips.map((c, i) => (i === index ? corners : c)) });
  };
  return (
    <Box sx={{ flexBasis: open ? "100%" : undefined }}>
      <Button size="small" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "Less" : "Clips, power, watching"}
      </Button>
      {open && (
        <Stack spacing={1} sx={{ mt: 1 }}>
          {clips.map((clip, i) => {
            const [x, y] = [Math.min(...clip.map((p) => p[0])), Math.min(...clip.map((p) => p[1]))];
            const box = [x, y, Math.max(...clip.map((p) => p[0])) - x, Math.max(...clip.map((p) => p[1])) - y];
            return (
              <Stack key={i} direction="row" spacing={1} role="group" aria-label={`Clip ${i + 1}`} sx={{ alignItems: "center" }}>
                {["From left", "From front", "Wide", "Deep"].map((label, k) => (
                  <LengthField
                    key={label}
                    label={label}
                    width={124}
                    value={box[k]}
                    onCommit={(v) =>
                      v !== null &&
                      put(
                        i,
                        box.map((b, j) => (j === k ? v : b)),
                      )
                    }
                  />
                ))}
                <Button size="small" onClick={() => change({ clips: clips.filter((_, j) => j !== i) })}>
                  Remove
                </Button>
              </Stack>
            );
          })}
          <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", alignItems: "center" }}>
            <Button
              size="small"
              variant="outlined"
              onClick={() =>
                change({
                  clips: [
                    ...clips,
                    [
                      [0, 0],
                      [25, 0],
                      [25, 15],
                      [0, 15],
                    ],
                  ],
                })
              }
            >
              Add a clip
            </Button>
            <LengthField
              label="Room under the gantry"
              width={190}
              value={printer.under_gantry_mm ?? 0}
              onCommit={(v) => v !== null && change({ under_gantry_mm: v })}
            />
            <LengthField
              label="Head round its nozzle"
              width={180}
              value={printer.head_mm ?? 0}
              onCommit={(v) => v !== null && change({ head_mm: v })}
            />
            <NumberField
              label="Power"
              suffix="W"
              width={120}
              value={printer.power_w ?? 0}
              onCommit={(v) => v !== null && change({ power_w: v })}
            />
            <NumberField
              label="Wear"
              suffix="per h"
              width={120}
              value={printer.wear_per_h ?? 0}
              onCommit={(v) => v !== null && change({ wear_per_h: v })}
            />
            <TextField
              label="Its service"
              placeholder="http://127.0.0.1:8431"
              defaultValue={printer.address ?? ""}
              onBlur={(e) => e.target.value !== (printer.address ?? "") && change({ address: e.target.value })}
              slotProps={{ inputLabel: { shrink: true } }}
              sx={{ width: 220 }}
            />
            <FormControlLabel
              control={
                <Checkbox checked={printer.watched ?? false} disabled={!printer.address} onChange={(_, on) => change({ watched: on })} />
              }
              label="Watch this printer"
            />
          </Stack>
        </Stack>
      )}
    </Box>
  );
}

/** The spool on the simulated scale. */
export function Weigh({ spool }: { spool: Schemas["Spool"] }) {
  const units = useUnits();
  const [count, setCount] = useState(0);
  const weigh = useShopChange((body: Schemas["WeighingRequest"]) =>
    need(api.POST("/api/spools/{id}/weigh/", { params: { path: { id: spool.id } }, body })),
  );
  const told = weigh.data as Schemas["Weighed"] | undefined;
  return (
    <Box>
      <Button size="small" variant="outlined" disabled={weigh.isPending} onClick={() => (weigh.mutate({ count }), setCount(count + 1))}>
        Weigh it
      </Button>
      {told && (
        <Typography variant="body2" component="span" sx={{ ml: 1 }}>
          {`${units.grams(told.gross_g)} with its core: ${units.grams(told.was_g)} → ${units.grams(told.left_g)} left.`}
        </Typography>
      )}
      <ErrorNote error={weigh.error} onClose={() => weigh.reset()} />
    </Box>
  );
}

export function DaysAway({ days, onChange }: { days: string[]; onChange: (days: string[]) => void }) {
  const units = useUnits();
  const [day, setDay] = useState("");
  return (
    <Stack direction="row" useFlexGap spacing={1} role="group" aria-label="Days away" sx={{ alignItems: "center", flexWrap: "wrap" }}>
      <TextField
        label="A day away"
        type="date"
        value={day}
        onChange={(e) => setDay(e.target.value)}
        slotProps={{ inputLabel: { shrink: true } }}
        sx={{ width: 160 }}
      />
      <Button variant="outlined" disabled={!day} onClick={() => (onChange([...days, day]), setDay(""))}>
        Add
      </Button>
      {days.map((d) => (
        <Button key={d} size="small" aria-label={`Remove ${units.date(d)}`} onClick={() => onChange(days.filter((k) => k !== d))}>
          {units.date(d)} ×
        </Button>
      ))}
    </Stack>
  );
}
