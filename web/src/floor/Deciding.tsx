/** What is decided about all plates, what failures say, what would bring the date nearer, and what is to be bought. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, need, useMaterials, useTrade, type Change, type Schemas } from "../api/client";
import { askAnew } from "../api/deciding";
import { LengthField } from "../parts/Fields";
import { ErrorNote } from "../parts/Notes";
import { Silhouette } from "../parts/Silhouette";
import { useUnits } from "../parts/units";
import { useDecide, useWhatIf, type Floor } from "./useFloor";

export function Deciding({ build, floor }: { build: number; floor: Floor }) {
  const units = useUnits();
  const decide = useDecide(build);
  const materials = useMaterials();
  const c = floor.chances;
  const stuff = (material: string, colour: string) =>
    `${materials.data?.find((m) => m.key === material)?.name ?? material}${colour ? ` ${colour}` : ""}`;
  const toggle = (list: "must_have" | "left_out", id: number) => {
    const there = floor[list].includes(id);
    decide.mutate({ [list]: there ? floor[list].filter((k) => k !== id) : [...floor[list], id] });
  };
  return (
    <Box component="section" aria-label="All plates">
      <Typography variant="h2">All plates</Typography>
      {floor.laid !== null && floor.bound !== null && (
        <Typography variant="body2" color="text.secondary">
          {`${units.count(floor.laid, "plate")} for the whole build; fewer than ${floor.bound} are not possible.`}
        </Typography>
      )}
      <Stack direction="row" useFlexGap spacing={1} sx={{ mt: 1, flexWrap: "wrap" }}>
        <TextField
          select
          size="small"
          label="What goes together"
          value={floor.together}
          onChange={(e) => decide.mutate({ together: e.target.value as Schemas["TogetherEnum"] })}
          sx={{ width: 210 }}
        >
          <MenuItem value="risk">as the risk allows</MenuItem>
          <MenuItem value="fewest">as few plates as can be</MenuItem>
          <MenuItem value="alone">each part alone</MenuItem>
        </TextField>
        <LengthField label="Gap" width={110} value={floor.gap_mm} onCommit={(v) => v !== null && decide.mutate({ gap_mm: v })} />
      </Stack>
      <FormControlLabel
        control={<Switch size="small" checked={floor.in_turn} onChange={(_, on) => decide.mutate({ in_turn: on })} />}
        label="One part after the other, where the gantry has room"
      />
      {c?.buy.map((b) => (
        <Typography key={b.material + b.colour} variant="body2">
          {`To buy: ${units.count(b.spools, "spool")} of ${stuff(b.material, b.colour)} (${units.grams(b.grams)} missing, about ${units.money(b.price, floor.currency)}).`}
        </Typography>
      ))}
      {c?.more_spools.map((m) => (
        <Typography key={m.material + m.colour} variant="body2">
          {`Printers wait for one spool of ${stuff(m.material, m.colour)}: with one more all is printed ${units.hours(m.hours)} sooner.`}
        </Typography>
      ))}
      {c && c.late.length > 0 && (
        <Typography variant="body2" color="error">{`Must be ready and comes after the date: ${c.late.join(", ")}.`}</Typography>
      )}
      <Box component="details" sx={{ mt: 1 }}>
        <summary>Which pieces must be ready, and which wait</summary>
        {Object.entries(floor.pieces).map(([id, name]) => (
          <Stack key={id} direction="row" sx={{ alignItems: "center" }} role="group" aria-label={name}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {name}
            </Typography>
            <FormControlLabel
              control={
                <Checkbox size="small" checked={floor.must_have.includes(Number(id))} onChange={() => toggle("must_have", Number(id))} />
              }
              label="must"
            />
            <FormControlLabel
              control={
                <Checkbox size="small" checked={floor.left_out.includes(Number(id))} onChange={() => toggle("left_out", Number(id))} />
              }
              label="waits"
            />
          </Stack>
        ))}
      </Box>
      <ErrorNote error={decide.error} onClose={() => decide.reset()} />
    </Box>
  );
}

/** What several failures of a part say, each with a draft of what may help. */
export function Lessons({ build, lessons }: { build: number; lessons: Floor["lessons"] }) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const client = useQueryClient();
  const go = useNavigate();
  const tryIt = useMutation({
    mutationFn: async (l: Floor["lessons"][number]) => {
      const body = { ...(l.change as Change), because: l.text } as Schemas["DraftRequest"];
      const made = await need(api.POST("/api/pieces/{id}/drafts/", { params: { path: { id: l.piece! } }, body }));
      return { made, station: "cuts" in (l.change as object) || "printer_ids" in (l.change as object) ? "cut" : "print", piece: l.piece! };
    },
    onSuccess: ({ made, station, piece }) => go(`/build/${build}/piece/${piece}/${station}?draft=${made.id}`),
    onSettled: () => askAnew(client),
  });
  if (!lessons.length) return null;
  return (
    <Box component="section" aria-label="What the log says">
      <Typography variant="h2">What the log says</Typography>
      {lessons.map((l, i) => (
        <Box key={i} sx={{ borderLeft: `4px solid ${inks.tight}`, pl: 1.25, my: 0.75 }}>
          {(i === 0 || units.say(lessons[i - 1].text) !== units.say(l.text)) && (
            <Typography variant="body2">{units.say(l.text)}</Typography>
          )}
          {l.pictures.length > 0 && (
            <Stack direction="row" spacing={2}>
              {l.pictures.map((p) => (
                <Box key={p.label} sx={{ fontSize: 12.5, color: inks.faint }}>
                  <Silhouette path={p.path} width={84} height={64} label={p.label} fill={inks.faint} />
                  <br />
                  {p.label}
                </Box>
              ))}
            </Stack>
          )}
          {l.button && (
            <Button
              size="small"
              variant="outlined"
              sx={{ borderStyle: "dashed", mt: 0.5 }}
              disabled={tryIt.isPending}
              onClick={() => tryIt.mutate(l)}
            >
              {l.button}
            </Button>
          )}
        </Box>
      ))}
      <ErrorNote error={tryIt.error} onClose={() => tryIt.reset()} />
    </Box>
  );
}

/** A change of the whole build in pencil: before → after, and kept only by a press. */
export function WhatIf({ build, floor }: { build: number; floor: Floor }) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const trade = useTrade();
  const client = useQueryClient();
  const decide = useDecide(build);
  const what = useWhatIf(build);
  const [tried, setTried] = useState<{ words: string; body: Schemas["WhatIfAllRequest"] } | null>(null);
  const start = (words: string, body: Schemas["WhatIfAllRequest"]) => (setTried({ words, body }), what.mutate(body));
  const keepLayers = useMutation({
    mutationFn: (layer_mm: number) =>
      need(api.POST("/api/builds/{id}/layer-all/", { params: { path: { id: build } }, body: { layer_mm } })),
    onSettled: () => (askAnew(client), void client.invalidateQueries({ queryKey: ["floor"] })),
  });
  const t = what.data;
  const drop = () => (setTried(null), what.reset());
  return (
    <Box component="section" aria-label="Try for the whole build">
      <Typography variant="h2">Try for the whole build</Typography>
      <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", mt: 1 }}>
        <TextField
          select
          size="small"
          label="A printer more, like"
          value=""
          onChange={(e) =>
            start(`another ${floor.beds.find((b) => b.id === Number(e.target.value))?.name}`, { printer: Number(e.target.value) })
          }
          sx={{ width: 190 }}
        >
          {floor.beds
            .filter((b) => b.kind === "filament")
            .map((b) => (
              <MenuItem key={b.id} value={b.id}>
                {b.name}
              </MenuItem>
            ))}
        </TextField>
        <TextField
          select
          size="small"
          label="All at layers of"
          value=""
          onChange={(e) => start(`all at ${e.target.value} mm`, { layer_mm: Number(e.target.value) })}
          sx={{ width: 150 }}
        >
          {trade.data?.layer_heights_mm.map((h) => (
            <MenuItem key={h} value={h}>
              {units.plain(h, 2)} mm
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          size="small"
          label="Without"
          value=""
          onChange={(e) => start(`without ${floor.pieces[e.target.value]}`, { without: [Number(e.target.value)] })}
          sx={{ width: 190 }}
        >
          {Object.entries(floor.pieces).map(([id, name]) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      {tried && t && (
        <Box role="status" sx={{ mt: 1, p: 1, border: `1.5px dashed ${inks.ink}` }}>
          <Typography sx={{ fontWeight: 600 }}>{tried.words}</Typography>
          <Typography variant="body2">
            {`Printed by ${units.moment(t.done)} → `}
            <i>{units.moment(t.done_then)}</i>
            {`; with 80 % ${units.date(t.by_80)} → `}
            <i>{units.date(t.by_80_then)}</i>
            {t.in_time !== null && t.in_time_then !== null && (
              <>
                {`; in time ${units.percent(t.in_time, 0)} → `}
                <i>{units.percent(t.in_time_then, 0)}</i>
              </>
            )}
            {`; ${units.hours(t.hours)} → `}
            <i>{units.hours(t.hours_then)}</i>
            {`; ${units.grams(t.filament_g)} → `}
            <i>{units.grams(t.filament_g_then)}</i>. Quick plans of both.
          </Typography>
          <Stack direction="row" spacing={1} sx={{ mt: 0.5 }}>
            {tried.body.without && (
              <Button
                size="small"
                variant="contained"
                onClick={() => (decide.mutate({ left_out: [...floor.left_out, ...tried.body.without!] }), drop())}
              >
                Keep
              </Button>
            )}
            {tried.body.layer_mm && (
              <Button size="small" variant="contained" onClick={() => (keepLayers.mutate(tried.body.layer_mm!), drop())}>
                Keep
              </Button>
            )}
            {tried.body.printer && (
              <Button size="small" href="/shop">
                To the shop
              </Button>
            )}
            <Button size="small" onClick={drop}>
              Drop
            </Button>
          </Stack>
        </Box>
      )}
      <ErrorNote error={what.error ?? keepLayers.error} onClose={() => (what.reset(), keepLayers.reset())} />
    </Box>
  );
}
