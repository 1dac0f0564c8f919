/** The log at the printer, for one thumb: what runs, what comes next, what became of it; and everything printed so far. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Collapse from "@mui/material/Collapse";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useState } from "react";
import { useParams } from "react-router";
import { NumberField } from "../parts/Fields";
import { ErrorNote } from "../parts/Notes";
import { Busy, Failed } from "../parts/States";
import { useUnits } from "../parts/units";
import { BedPicture } from "./BedView";
import { Begin, Fed } from "./PlateSheet";
import { pressKey } from "../api/press";
import { useFloor, useLog, usePicture, usePress, useTakeBack, type Run } from "./useFloor";

const BIG = { minHeight: 60, fontSize: 17, flex: 1 } as const;

export default function Log() {
  const build = Number(useParams().build);
  const [find, setFind] = useState("");
  const floor = useFloor(build);
  const log = useLog(build, find);
  const units = useUnits();
  const { inks } = useTheme().palette;
  if (floor.error && !floor.data) return <Failed error={floor.error} again={() => void floor.refetch()} />;
  if (!floor.data || !log.data) return <Busy what="Opening the log" />;
  const told = floor.data;
  const free = told.beds.filter((b) => !told.running.some((r) => r.printer === b.name));
  const ended = log.data.runs.filter((r) => r.state === "done" || r.state === "failed");
  return (
    <Box sx={{ p: { xs: 1.5, md: 2.5 }, maxWidth: 1180 }}>
      <Typography variant="h1">Log</Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "1fr 1fr" }, gap: 2, mt: 1, alignItems: "start" }}>
        {told.running.map((r) => (
          <RunCard key={r.id} run={r} causes={log.data.causes} />
        ))}
        {free.map((bed) => {
          const next = told.plates.filter((p) => p.printer === bed.name).sort((a, b) => (a.start ?? "9").localeCompare(b.start ?? "9"))[0];
          if (!next) return null;
          return (
            <Box key={bed.id} component="section" aria-label={`Next on ${bed.name}`} sx={{ border: `1px solid ${inks.line}`, p: 1.5 }}>
              <Stack direction="row" spacing={1.5} sx={{ alignItems: "center" }}>
                <BedPicture
                  usable={bed.usable}
                  x={bed.x_mm}
                  y={bed.y_mm}
                  drawn={next.parts.map((p) => p.drawn)}
                  size={84}
                  label={`${next.name} from above`}
                />
                <Box sx={{ minWidth: 0 }}>
                  <Typography sx={{ fontSize: 18, fontWeight: 600 }}>{`Next on ${bed.name}: ${next.name}`}</Typography>
                  <Typography variant="body2">
                    {`${next.parts.map((p) => `${p.piece_name} ${p.letter}`).join(", ")}. ${units.hours(next.hours)}${next.start ? `, planned ${units.moment(next.start)}` : ""}.`}
                  </Typography>
                </Box>
              </Stack>
              <Fed plate={next} />
              <Begin build={build} floor={told} plate={next} large />
            </Box>
          );
        })}
      </Box>
      <Typography variant="h2" sx={{ mt: 3 }}>
        Printed so far
      </Typography>
      <Typography variant="body2" color="text.secondary">
        {`Prints take ${units.plain(log.data.factor, 2)} times the hours told (${units.plain(log.data.prior, 2)} before anything was logged), and ${units.plain(log.data.grams, 2)} times the filament. `}
        <a href="/api/runs/log.csv" download>
          As a table
        </a>
      </Typography>
      <Paces runs={ended} factor={log.data.factor} />
      <TextField
        label="Find"
        placeholder="0.2 mm pla gull warped"
        value={find}
        onChange={(e) => setFind(e.target.value)}
        sx={{ mt: 1.5, width: { xs: "100%", sm: 340 } }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Box component="ol" aria-label="Prints" sx={{ listStyle: "none", p: 0, m: 0, mt: 1 }}>
        {ended.map((r) => (
          <RunLine key={r.id} run={r} />
        ))}
      </Box>
      {!ended.length && (
        <Typography color="text.secondary">
          {find
            ? "Nothing in the log has all of these words."
            : "What is done or failed is listed here, with its hours and what was learnt."}
        </Typography>
      )}
    </Box>
  );
}

const RATIO_HIGH = 70;

/** Real hours over told ones, print after print: what the log learnt from. */
function Paces({ runs, factor }: { runs: Run[]; factor: number }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const done = runs.filter((r) => r.state === "done").reverse();
  if (done.length < 3) return null;
  const ratios = [1, factor, ...done.map((r) => r.hours / r.told_h)];
  const [least, most] = [Math.min(...ratios) - 0.15, Math.max(...ratios) + 0.15];
  const y = (ratio: number) => RATIO_HIGH - 4 - ((RATIO_HIGH - 8) * (ratio - least)) / (most - least);
  const wide = 340;
  return (
    <svg
      viewBox={`0 0 ${wide} ${RATIO_HIGH}`}
      width={wide}
      style={{ maxWidth: "100%", display: "block", marginTop: 8 }}
      role="img"
      aria-label="Real hours over told hours, print by print"
    >
      <line x1={0} x2={wide} y1={y(1)} y2={y(1)} stroke={inks.line} />
      <text x={wide} y={y(1) - 3} fontSize={11} textAnchor="end" fill={inks.faint}>
        as told
      </text>
      <line x1={0} x2={wide} y1={y(factor)} y2={y(factor)} stroke={inks.chosen} strokeDasharray="4 3" />
      <text x={wide} y={y(factor) - 3} fontSize={11} textAnchor="end" fill={inks.chosen}>
        {`× ${units.plain(factor, 2)} now`}
      </text>
      {done.map((r, i) => (
        <circle key={r.id} cx={6 + (i * (wide - 90)) / Math.max(done.length - 1, 1)} cy={y(r.hours / r.told_h)} r={3.5} fill={inks.ink}>
          <title>{`${r.name} on ${r.printer}: × ${units.plain(r.hours / r.told_h, 2)}`}</title>
        </circle>
      ))}
    </svg>
  );
}

function RunCard({ run, causes }: { run: Run; causes: Record<string, string> }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const press = usePress();
  const back = useTakeBack();
  const [asking, setAsking] = useState<"done" | "failed" | null>(null);
  const [bad, setBad] = useState<string[]>([]);
  const [unseen, setUnseen] = useState(false);
  const [more, setMore] = useState<{ at_mm: number | null; used_g: number | null; note: string }>({ at_mm: null, used_g: null, note: "" });
  const send = (kind: string, said: object = {}) => press.mutate({ run: run.id, key: pressKey(), kind, ...said });
  const names = run.parts.map((p) => p.name);
  return (
    <Box component="section" aria-label={`${run.printer}: ${run.name}`} sx={{ border: `2px solid ${inks.ink}`, p: 1.5 }}>
      <Stack direction="row" spacing={1.5} sx={{ alignItems: "center" }}>
        <BedPicture
          usable={run.usable}
          x={run.bed_mm[0]}
          y={run.bed_mm[1]}
          drawn={run.parts.map((p) => p.drawn)}
          size={84}
          label={`${run.name} from above`}
        />
        <Box sx={{ minWidth: 0 }}>
          <Typography
            sx={{ fontSize: 19, fontWeight: 600 }}
          >{`${run.printer}: ${run.state === "paused" ? "paused" : "printing"}`}</Typography>
          <Typography>{run.name}</Typography>
          <Typography variant="body2" color="text.secondary">
            {`Begun ${units.moment(run.started)}, ${run.progress === null ? `about ${units.hours(run.planned_h)}` : `${units.percent(run.progress, 0)} by the printer`}; done about ${units.moment(run.expected)}${run.tries > 1 ? `; try ${run.tries}` : ""}.`}
          </Typography>
        </Box>
      </Stack>
      {run.progress !== null && (
        <Box sx={{ height: 6, border: `1px solid ${inks.ink}`, mt: 1 }}>
          <Box sx={{ height: "100%", width: `${100 * run.progress}%`, bgcolor: inks.ink }} />
        </Box>
      )}
      {run.said && <ErrorNote error={new Error(run.said)} />}
      {asking === null && (
        <Stack direction="row" spacing={1} sx={{ mt: 1.5 }}>
          <Button variant="contained" color="success" sx={BIG} onClick={() => setAsking("done")}>
            Done
          </Button>
          <Button variant="contained" color="error" sx={BIG} onClick={() => setAsking("failed")}>
            Failed
          </Button>
          <Button variant="outlined" sx={BIG} onClick={() => send(run.state === "paused" ? "resume" : "pause")}>
            {run.state === "paused" ? "Resume" : "Pause"}
          </Button>
        </Stack>
      )}
      {asking === "done" && (
        <Stack spacing={1} sx={{ mt: 1.5 }}>
          <Button
            variant="contained"
            color="success"
            sx={BIG}
            disabled={press.isPending}
            onClick={() => send("done", { bad, seen_end: !unseen, ...given(more) })}
          >
            {bad.length
              ? `${names.length - bad.length} of ${names.length} parts are good`
              : names.length === 1
                ? "It is good"
                : "All parts are good"}
          </Button>
          {names.length > 1 &&
            names.map((n) => (
              <Button
                key={n}
                variant="outlined"
                color={bad.includes(n) ? "error" : "inherit"}
                aria-pressed={bad.includes(n)}
                onClick={() => setBad(bad.includes(n) ? bad.filter((b) => b !== n) : [...bad, n])}
                sx={{ minHeight: 48 }}
              >
                {bad.includes(n) ? `${n}: not good` : `${n}: good`}
              </Button>
            ))}
          <Button variant="outlined" color="inherit" aria-pressed={unseen} onClick={() => setUnseen(!unseen)} sx={{ minHeight: 48 }}>
            {unseen ? "Ended while nobody looked: its hours teach nothing" : "Ended just now"}
          </Button>
          <More more={more} setMore={setMore} />
          <Button onClick={() => setAsking(null)} sx={{ minHeight: 48 }}>
            Not yet
          </Button>
        </Stack>
      )}
      {asking === "failed" && (
        <Stack spacing={1} sx={{ mt: 1.5 }}>
          <More more={more} setMore={setMore} high={run.high_mm} />
          {names.length > 1 && (
            <>
              <Typography variant="body2">Good all the same:</Typography>
              <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap" }}>
                {names.map((n) => (
                  <Button
                    key={n}
                    variant="outlined"
                    color={bad.includes(n) ? "success" : "inherit"}
                    aria-pressed={bad.includes(n)}
                    onClick={() => setBad(bad.includes(n) ? bad.filter((b) => b !== n) : [...bad, n])}
                    sx={{ minHeight: 48 }}
                  >
                    {n}
                  </Button>
                ))}
              </Stack>
            </>
          )}
          <Box role="group" aria-label="Why" sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
            {Object.entries(causes).map(([key, name]) => (
              <Button
                key={key}
                variant="outlined"
                color="error"
                disabled={press.isPending}
                sx={{ minHeight: 54, lineHeight: 1.2 }}
                onClick={() => send("failed", { cause: key, good: bad, ...given(more) })}
              >
                {name}
              </Button>
            ))}
          </Box>
          <Button onClick={() => setAsking(null)} sx={{ minHeight: 48 }}>
            It goes on
          </Button>
        </Stack>
      )}
      <Button size="small" sx={{ mt: 1 }} disabled={back.isPending} onClick={() => back.mutate(run.id)}>
        Undo the last press
      </Button>
      <ErrorNote error={press.error ?? back.error} onClose={() => (press.reset(), back.reset())} />
    </Box>
  );
}

type Told = { at_mm: number | null; used_g: number | null; note: string };

const given = (more: Told) => ({
  ...(more.at_mm === null ? {} : { at_mm: more.at_mm }),
  ...(more.used_g === null ? {} : { used_g: more.used_g }),
  note: more.note,
});

function More({ more, setMore, high }: { more: Told; setMore: (m: Told) => void; high?: number }) {
  const [open, setOpen] = useState(false);
  const units = useUnits();
  return (
    <Box>
      <Button size="small" onClick={() => setOpen(!open)} aria-expanded={open} sx={{ minHeight: 44 }}>
        {high ? "Height, grams, note" : "Grams, note"}
      </Button>
      <Collapse in={open}>
        <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", pt: 1 }}>
          {high !== undefined && (
            <NumberField
              label="At height"
              suffix="mm"
              optional
              width={150}
              value={more.at_mm}
              helper={`of ${units.plain(high, 0)}`}
              onCommit={(v) => setMore({ ...more, at_mm: v })}
            />
          )}
          <NumberField
            label="Filament"
            suffix="g"
            optional
            width={150}
            value={more.used_g}
            onCommit={(v) => setMore({ ...more, used_g: v })}
          />
          <TextField
            label="Note"
            value={more.note}
            onChange={(e) => setMore({ ...more, note: e.target.value })}
            sx={{ flex: 1, minWidth: 200 }}
          />
        </Stack>
      </Collapse>
    </Box>
  );
}

function RunLine({ run }: { run: Run }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const back = useTakeBack();
  const picture = usePicture();
  const failed = run.state === "failed";
  const ratio = run.hours / run.told_h;
  return (
    <Box
      component="li"
      aria-label={run.name}
      sx={{ display: "flex", gap: 1.25, py: 1, borderBottom: `1px solid ${inks.line}`, alignItems: "center" }}
    >
      {run.photo ? (
        <img src={`/api/photos/${run.photo}`} alt={`${run.name} as it came out`} width={64} height={64} style={{ objectFit: "cover" }} />
      ) : (
        <BedPicture
          usable={run.usable}
          x={run.bed_mm[0]}
          y={run.bed_mm[1]}
          drawn={run.parts.map((p) => p.drawn)}
          bad={run.parts.flatMap((p, i) => (p.good === false ? [i] : []))}
          size={64}
          label={`${run.name} from above`}
        />
      )}
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography sx={{ fontWeight: 600, color: failed ? inks.stops : inks.ink }}>
          {failed ? `Failed: ${run.cause_name || "no cause told"}` : "Done"}
          <Box
            component="span"
            sx={{ fontWeight: 400, color: inks.ink }}
          >{`, ${run.name} on ${run.printer}${run.tries > 1 ? `, try ${run.tries}` : ""}`}</Box>
        </Typography>
        <Typography variant="body2" color="text.secondary">
          {`${units.moment(run.started)}: told ${units.hours(run.told_h)}, real ${units.hours(run.hours)}${failed ? "" : ` (× ${units.plain(ratio, 2)})`}; told ${units.grams(run.told_g)}, went ${units.grams(run.grams)}${run.at_mm === null ? "" : `; at ${units.length(run.at_mm)} of ${units.length(run.high_mm)}`}. ${run.material.toUpperCase()}, ${run.settings}.${run.note ? ` ${run.note}` : ""}`}
        </Typography>
      </Box>
      <Stack>
        <Button size="small" onClick={() => back.mutate(run.id)} disabled={back.isPending}>
          Undo
        </Button>
        {!run.photo && (
          <Button size="small" component="label">
            Photo
            <input
              hidden
              type="file"
              accept="image/*"
              aria-label={`Photo of ${run.name}`}
              onChange={(e) => e.target.files?.[0] && picture.mutate({ run: run.id, file: e.target.files[0] })}
            />
          </Button>
        )}
        <ErrorNote error={back.error ?? picture.error} onClose={() => (back.reset(), picture.reset())} />
      </Stack>
    </Box>
  );
}
