/** The printers of a build: what runs, what comes next, every bed before it is printed, and what may come of the date. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { active } from "../api/client";
import { Findings, ErrorNote } from "../parts/Notes";
import { Busy, Empty, Failed } from "../parts/States";
import { useUnits } from "../parts/units";
import { Views } from "../parts/Views";
import { BedPicture, BedView, type Spot } from "./BedView";
import { FloorLanes } from "./FloorLanes";
import { PlateSheet } from "./PlateSheet";
import { Deciding, Lessons, WhatIf } from "./Deciding";
import { heldOf, others, useDecide, useFloor, usePlan, type Floor, type Plate } from "./useFloor";

const Plate3D = lazy(() => import("./Plate3D"));
const VIEWS = ["From above", "In 3D"] as const;

export default function Printers() {
  const build = Number(useParams().build);
  const [asked, ask] = useSearchParams();
  const { inks } = useTheme().palette;
  const floor = useFloor(build);
  const plan = usePlan(build);
  const decide = useDecide(build);
  const [view, setView] = useState<string>(VIEWS[0]);
  const [part, setPart] = useState<string | null>(null);
  const told = floor.data;
  // What is old is planned anew once; a failed plan waits for its maker.
  const sent = useRef("");
  const stale = told && told.state === "stale" && !told.waits.words && !active(told.job) ? `${told.now}${told.plates.length}` : "";
  const { mutate } = plan;
  // A plate's id goes with the parts on it, and moving one may make room for another: what is shown is then found again by one of its parts.
  const [id, followed] = [asked.get("plate"), asked.get("part")];
  const plates = told?.plates ?? [];
  const plate = plates.find((p) => p.id === id) ?? plates.find((p) => followed && keysOf(p).includes(followed)) ?? plates[0];
  const keys = plate ? keysOf(plate) : [];
  const kept = followed && keys.includes(followed) ? followed : keys[0];
  useEffect(() => {
    if (plate && kept && (plate.id !== id || kept !== followed)) ask({ plate: plate.id, part: kept }, { replace: true });
  }, [plate, kept, id, followed, ask]);
  useEffect(() => {
    if (!stale || sent.current === stale) return;
    sent.current = stale;
    mutate();
  }, [stale, mutate]);
  if (floor.error && !told) return <Failed error={floor.error} again={() => void floor.refetch()} />;
  if (!told) return <Busy what="Looking at the printers" />;
  if (told.waits.words) {
    return (
      <Empty title="Nothing to print yet">
        <Typography>
          Parts of every piece that is computed to the end are laid on plates here, and planned on the shop’s printers.{" "}
          <Link to={`/build/${build}`}>To the Wall</Link>
        </Typography>
      </Empty>
    );
  }
  const choose = (id: string) => ask({ plate: id }, { replace: true });
  const bed = plate && told.beds.find((b) => b.name === plate.printer);
  const move = (name: string, to: Spot) => {
    const now = heldOf(plate);
    const moved = { ...now, spots: now.spots.map((s, i) => (plate.parts[i].name === name ? { ...s, ...to } : s)) };
    decide.mutate({ held_plates: [...others(told, moved), moved] });
  };
  return (
    <Box sx={{ display: "flex", flexDirection: "column", minHeight: 0, flex: 1 }}>
      <Box sx={{ px: { xs: 1.5, lg: 2.5 }, pt: 1.25 }}>
        <Stack direction="row" sx={{ gap: 2, alignItems: "baseline", flexWrap: "wrap" }}>
          <Typography variant="h1">Printers</Typography>
          <Box sx={{ flex: 1, minWidth: 260 }}>
            <Headline floor={told} />
          </Box>
          <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap" }}>
            <Button size="small" variant="outlined" onClick={() => plan.mutate()} disabled={active(told.job)}>
              Plan anew
            </Button>
            <Button size="small" component="a" href={`/api/builds/${build}/labels.pdf`} download disabled={!told.plates.length}>
              Labels
            </Button>
            <Button size="small" component="a" href={`/api/builds/${build}/everything.zip`} download>
              Download all
            </Button>
            <Button size="small" component={Link} to={`/build/${build}/log`}>
              Log
            </Button>
          </Stack>
        </Stack>
        {active(told.job) && (
          <Box role="status" sx={{ mt: 0.5 }}>
            <Typography variant="body2" color="text.secondary">
              {told.job?.what || "Queued"}
            </Typography>
            <LinearProgress
              variant={told.job?.state === "queued" ? "indeterminate" : "determinate"}
              value={100 * (told.job?.progress ?? 0)}
            />
          </Box>
        )}
        {told.job?.state === "failed" && <ErrorNote error={new Error(told.job.message)} />}
        <ErrorNote error={decide.error ?? plan.error} onClose={() => (decide.reset(), plan.reset())} />
        <FloorLanes floor={told} chosen={plate?.id ?? null} onChoose={choose} />
      </Box>
      <Box sx={{ display: "flex", flex: 1, minHeight: 0, borderTop: `1px solid ${inks.line}`, flexWrap: { xs: "wrap", md: "nowrap" } }}>
        <PlateStrip floor={told} chosen={plate?.id ?? ""} onChoose={choose} />
        {plate && bed ? (
          <Box sx={{ flex: 1, minWidth: 300, display: "flex", flexDirection: "column" }}>
            <Views views={VIEWS} value={view} onChange={setView} note={plate.wrong.length ? "Parts meet: drag them apart." : undefined} />
            <Box sx={{ position: "relative", flex: 1, minHeight: 330, px: 1 }}>
              {view === VIEWS[0] ? (
                <Box sx={{ position: "absolute", inset: 4 }}>
                  <BedView bed={bed} plate={plate} chosen={part} onChoose={setPart} onMove={move} />
                </Box>
              ) : (
                <Suspense fallback={<Typography sx={{ p: 3 }}>Loading the 3D view …</Typography>}>
                  <Plate3D plate={plate} bed={bed} />
                </Suspense>
              )}
            </Box>
          </Box>
        ) : (
          <Box sx={{ flex: 1, p: 3 }}>
            <Typography>
              {told.plates.length ? "" : told.state === "fresh" ? "All is printed or being printed." : "Plates are being laid."}
            </Typography>
          </Box>
        )}
        <Box
          role="region"
          aria-label="Ledger"
          sx={{
            width: { xs: "100%", md: 380 },
            flex: "none",
            overflowY: "auto",
            borderLeft: `1px solid ${inks.line}`,
            p: 1.75,
            maxHeight: { md: "calc(100vh - 320px)" },
          }}
        >
          <Stack spacing={2}>
            {plate && <PlateSheet build={build} floor={told} plate={plate} part={part} onPart={setPart} onMove={move} />}
            {(told.findings.length > 0 || told.notes.length > 0) && <Findings findings={told.findings} notes={told.notes} />}
            <Lessons build={build} lessons={told.lessons} />
            <Deciding build={build} floor={told} />
            <WhatIf build={build} floor={told} />
          </Stack>
        </Box>
      </Box>
    </Box>
  );
}

const keysOf = (plate: Plate) => plate.parts.map((p) => `${p.piece}/${p.part}`);

/** When all of it is printed, how sure, and what the last change did to that. */
function Headline({ floor }: { floor: Floor }) {
  const units = useUnits();
  const c = floor.chances;
  const { inks } = useTheme().palette;
  if (!c) return <Typography color="text.secondary">Not planned yet.</Typography>;
  const odds = c.in_time === null ? "" : ` In time for the date: ${units.percent(c.in_time, 0)}.`;
  const near =
    c.within === null ? "" : c.within < 0.0005 ? " No plan is shorter." : ` Within ${units.percent(c.within, 1)} of the best possible.`;
  const m = floor.moved;
  return (
    <Box>
      <Typography sx={{ fontWeight: 600 }}>
        {`All printed by ${units.moment(c.done)}; with 80 % by ${units.date(c.by["80"])}, with 95 % by ${units.date(c.by["95"])}.`}
        <Box
          component="span"
          sx={{
            whiteSpace: "nowrap",
            color: c.in_time === null ? undefined : inks[c.verdict],
          }}
        >
          {odds}
        </Box>
      </Typography>
      <Typography variant="body2" color="text.secondary">
        {`${units.count(floor.plates.length, "plate")} left, ${units.hours(c.machine_h)} of printers, ${units.grams(c.filament_g)}, ${units.money(c.cost, floor.currency)} (${units.money(c.hours_cost, floor.currency)} power and wear).${near} About ${units.plain(c.failures, 1)} prints fail on the way.`}
        {m && m.because && (m.done !== m.done_now || m.hours !== m.hours_now) && (
          <Box component="span" sx={{ color: "text.primary" }}>
            {` What ${m.because} did: ${units.moment(m.done)} → ${units.moment(m.done_now)}, ${units.hours(m.hours)} → ${units.hours(m.hours_now)}.`}
          </Box>
        )}
      </Typography>
    </Box>
  );
}

function PlateStrip({ floor, chosen, onChoose }: { floor: Floor; chosen: string; onChoose: (id: string) => void }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  return (
    <Box
      role="listbox"
      aria-label="Plates"
      sx={{
        width: { xs: "100%", md: 236 },
        flex: "none",
        overflow: "auto",
        display: { xs: "flex", md: "block" },
        borderRight: `1px solid ${inks.line}`,
        maxHeight: { md: "calc(100vh - 320px)" },
      }}
    >
      {floor.plates.map((p) => (
        <Line
          key={p.id}
          plate={p}
          floor={floor}
          chosen={p.id === chosen}
          onChoose={() => onChoose(p.id)}
          words={p.start ? units.moment(p.start) : "not planned"}
        />
      ))}
    </Box>
  );
}

function Line({
  plate,
  floor,
  chosen,
  onChoose,
  words,
}: {
  plate: Plate;
  floor: Floor;
  chosen: boolean;
  onChoose: () => void;
  words: string;
}) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const bed = floor.beds.find((b) => b.name === plate.printer);
  return (
    <Box
      component="button"
      role="option"
      aria-selected={chosen}
      onClick={onChoose}
      sx={{
        display: "flex",
        gap: 1,
        width: "100%",
        minWidth: 210,
        textAlign: "left",
        alignItems: "center",
        border: 0,
        borderBottom: `1px solid ${inks.line}`,
        borderLeft: `4px solid ${chosen ? inks.chosen : "transparent"}`,
        background: chosen ? inks.sheet : "transparent",
        color: inks.ink,
        font: "inherit",
        p: 0.75,
        cursor: "pointer",
      }}
    >
      {bed && (
        <BedPicture
          usable={bed.usable}
          x={bed.x_mm}
          y={bed.y_mm}
          drawn={plate.parts.map((p) => p.drawn)}
          size={52}
          label={`${plate.name} from above`}
        />
      )}
      <Box sx={{ minWidth: 0 }}>
        <Box sx={{ fontWeight: 600 }}>
          {plate.name}
          <Box component="span" sx={{ fontWeight: 400 }}>{`, ${plate.printer}`}</Box>
        </Box>
        <Box sx={{ fontSize: 12.5, color: inks.faint, lineHeight: 1.3 }}>
          {`${units.hours(plate.hours)}, ${plate.resin ? "resin" : units.grams(plate.filament_g)}, ${units.count(plate.parts.length, "part")}`}
          <br />
          {words}
          {plate.must ? ", must be ready" : ""}
          {plate.held ? ", laid by hand" : ""}
        </Box>
      </Box>
    </Box>
  );
}
