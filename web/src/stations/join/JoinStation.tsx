/** How it holds: the parts and the seam on the stage, the seam flat beside it, what holds each and what is to be bought for it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMemo, useState, type ComponentProps, type ReactNode } from "react";
import { Link as RouterLink } from "react-router";
import { useDecision, useShop, useTrade, type Schemas } from "../../api/client";
import { DecisionField } from "../../parts/DecisionField";
import { Explode } from "../../parts/Explode";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";
import { LazyStage } from "../../stage/LazyStage";
import type { StageSeam } from "../../stage/SeamKnobs";
import type { StationProps } from "../types";
import { LongCard, LongSheet } from "./Long";
import { MovesCard, MovesSheet, WeightCard } from "./Moves";
import { SeamCard } from "./SeamCard";
import { SeamSheet, SeamStrip } from "./SeamSheet";
import { useTrying } from "./trying";

const PINS: { label: string; value: string; sizes: number[] | null }[] = [
  { label: "thickest that fits: 4, 3 or 1.75 mm", value: "auto", sizes: null },
  { label: "1.75 mm, pieces of filament", value: "1.75", sizes: [1.75] },
  { label: "3.5 mm, a rod of twice the filament", value: "3.5", sizes: [3.5] },
  { label: "3 mm dowel", value: "3", sizes: [3] },
  { label: "4 mm dowel", value: "4", sizes: [4] },
  { label: "6 mm dowel", value: "6", sizes: [6] },
];

type StageProps = ComponentProps<typeof LazyStage>;

/** Entries of the strip beside the seams. */
const ALONG = "along";
const MOVES = "moves";

export default function JoinStation({ piece, change, children }: StationProps) {
  const shop = useShop();
  const trade = useTrade().data;
  const marks = useDecision("marks");
  const [chosen, setChosen] = useState<string | null>(null);
  const [knob, setKnob] = useState<number | null>(null);
  const [explode, setExplode] = useState(0);
  const { trying, move, nudge } = useTrying(piece, change);
  const data = piece.join_data;
  const seams = data?.seams ?? [];
  const long = data?.long ?? null;
  const moves = data?.moves ?? [];
  const moving = moves.length > 0 && (chosen === MOVES || (chosen === null && !long));
  const along = long !== null && (chosen === ALONG || chosen === null);
  const seam = seams.find((s) => s.id === chosen) ?? seams[0];
  const r = piece.recipe;
  const every = r.joints.find((h) => !h.seam);
  const centres = useMemo(() => Object.fromEntries(piece.cut_data?.parts.map((p) => [p.name, p.centre_mm]) ?? []), [piece.cut_data]);
  const onStage = useMemo<StageSeam | undefined>(
    () =>
      seam && {
        outline: seam.outline_mm,
        knobs: seam.joints.map((j, i) => ({
          at: trying?.seam === seam.id && trying.index === i && trying.tried ? trying.tried.position_mm : j.position_mm,
          axis: j.axis,
          movable: j.movable,
        })),
      },
    [seam, trying],
  );
  const choose = (id: string) => {
    setChosen(id);
    setKnob(null);
  };
  const holdAll = (kind: Schemas["JoinKindEnum"]) => {
    const named = r.joints.filter((h) => h.seam);
    change({
      joints:
        kind === "auto" ? named : [{ seam: "", kind, at_mm: null, turned: false, thread: every?.thread ?? "M3", magnet: "" }, ...named],
    });
  };

  const extra = [...(long ? [[ALONG, "Along its length"] as const] : []), ...(moves.length ? [[MOVES, "What moves"] as const] : [])];
  const letters = (piece.cut_data?.parts ?? []).map((p) => ({
    id: data?.parts.find((j) => j.name === p.name)?.id ?? "",
    letter: p.name.replace(/^.*-/, ""),
    centre: p.centre_mm as [number, number, number],
  }));
  const file = piece.files.joined ?? piece.files.parts ?? piece.files.preview;
  const shown = (more: Partial<StageProps> = {}) => (
    <>
      <LazyStage file={file} label={piece.name} explode={explode} centres={centres} {...more} />
      <Explode value={explode} onChange={setExplode} width={200} />
    </>
  );
  const strip = (id: string) => <SeamStrip seams={seams} chosen={id} onChoose={choose} extra={extra} />;
  const stage = moving ? (
    <Sides preview={shown()} strip={strip(MOVES)}>
      <MovesSheet moved={moves[0]} />
    </Sides>
  ) : along ? (
    <Sides preview={shown()} strip={strip(ALONG)} under>
      <LongSheet long={long} />
    </Sides>
  ) : seam ? (
    <Sides
      preview={shown({
        label: `${piece.name}, seam ${seam.letters}`,
        seam: explode > 0.02 ? undefined : onStage,
        chosenKnob: knob,
        onKnob: (index, at, done) => (setKnob(index), move(seam, index, at, done)),
      })}
      strip={strip(seam.id)}
    >
      <Box sx={{ flex: 1, height: { xs: 320, sm: "auto" }, minHeight: 0 }}>
        <SeamSheet
          seam={seam}
          trying={trying}
          chosen={knob}
          onChoose={setKnob}
          onMove={(index, at, done) => move(seam, index, at, done)}
          onNudge={(index, by) => nudge(seam, index, by)}
        />
      </Box>
      <Typography component="figcaption" variant="body2" sx={{ px: 1.5, py: 0.75 }} role="status">
        <Moving seam={seam} tried={trying?.seam === seam.id ? trying.tried : null} />
      </Typography>
    </Sides>
  ) : (
    <LazyStage file={file} label={piece.name} />
  );

  const decisions = (
    <>
      {!seams.length && !moves.length && (
        <Typography color="text.secondary">
          {piece.join ? "The piece is printed whole: there is nothing to join." : "The seams appear here once the piece is parted."}
        </Typography>
      )}
      {along && <LongCard piece={piece} long={long} change={change} />}
      {along && data?.weight && <WeightCard piece={piece} weight={data.weight} parts={letters} change={change} />}
      {(moving || (piece.recipe.moves.length > 0 && !moves.length)) && (
        <MovesCard piece={piece} moves={moves} parts={letters} change={change} />
      )}
      {seam && !along && !moving && (
        <SeamCard key={seam.id} piece={piece} seam={seam} glue={piece.glues[seams.indexOf(seam)] ?? null} change={change} />
      )}
      <Typography variant="h3" component="h2">
        All seams
      </Typography>
      <TextField select label="Held by" value={every?.kind ?? "auto"} onChange={(e) => holdAll(e.target.value as Schemas["JoinKindEnum"])}>
        {Object.entries(trade?.kinds ?? {}).map(([kind, label]) => (
          <MenuItem key={kind} value={kind}>
            {label}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Pins"
        value={PINS.find((c) => JSON.stringify(c.sizes) === JSON.stringify(r.pin_diameters_mm))?.value ?? "auto"}
        onChange={(e) => change({ pin_diameters_mm: PINS.find((c) => c.value === e.target.value)?.sizes ?? null })}
      >
        {PINS.map((c) => (
          <MenuItem key={c.value} value={c.value}>
            {c.label}
          </MenuItem>
        ))}
      </TextField>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <DecisionField
          of="pin_clearance_mm"
          piece={piece}
          change={change}
          width={190}
          usual={data?.pin_gap_mm || shop.data?.pin_clearance_mm}
        />
        {r.pin_clearance_mm !== null && <Button onClick={() => change({ pin_clearance_mm: null })}>As the coupon told</Button>}
      </Stack>
      <Stack direction="row" spacing={1}>
        <TextField
          select
          label={marks?.label ?? "Marks inside"}
          value={r.marks}
          onChange={(e) => change({ marks: e.target.value })}
          sx={{ flex: 1 }}
        >
          {marks?.choices.map((c) => (
            <MenuItem key={c} value={c}>
              {c}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="Glue" value={r.glue} onChange={(e) => change({ glue: e.target.value })} sx={{ flex: 1 }}>
          <MenuItem value="auto">as suits the material</MenuItem>
          {Object.entries(trade?.glues ?? {}).map(([key, name]) => (
            <MenuItem key={key} value={key}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      <HardwareList piece={piece} />
      {!along && data?.weight && <WeightCard piece={piece} weight={data.weight} parts={letters} change={change} />}
      {letters.length > 1 && !piece.recipe.moves.length && <MovesCard piece={piece} moves={[]} parts={letters} change={change} />}
      {!!data?.steps.length && (
        <Typography variant="body2">
          In which order the parts come together:{" "}
          <RouterLink to="../assemble" relative="path">
            Assemble
          </RouterLink>
          .
        </Typography>
      )}
      <Typography variant="body2" color="text.secondary">
        Dry-fit before any glue. Gloves, fresh air and the product’s own sheet; an iron and an insert stay hot.
      </Typography>
    </>
  );
  return children({ stage, decisions });
}

interface SidesProps {
  preview: ReactNode;
  strip: ReactNode;
  /** The drawing lies under the piece, not beside it. */
  under?: boolean;
  children: ReactNode;
}

/** The piece and a drawing of it, and the strip to choose what is drawn. */
function Sides({ preview, strip, under, children }: SidesProps) {
  const { inks } = useTheme().palette;
  const grid = under
    ? { gridTemplateRows: { xs: "260px 220px", sm: "minmax(0, 54fr) minmax(220px, 46fr)" } }
    : { gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" }, gridTemplateRows: { xs: "320px", sm: "minmax(0, 1fr)" } };
  return (
    <Box sx={{ display: "flex", flexDirection: "column", height: "100%" }}>
      <Box sx={{ flex: 1, minHeight: 0, display: "grid", ...grid }}>
        <Box sx={{ position: "relative", minHeight: 0 }}>{preview}</Box>
        <Box
          component="figure"
          sx={{
            m: 0,
            minWidth: 0,
            minHeight: 0,
            display: "flex",
            flexDirection: "column",
            [under ? "borderTop" : "borderLeft"]: `1px solid ${inks.line}`,
          }}
        >
          {children}
        </Box>
      </Box>
      {strip}
    </Box>
  );
}

/** What is said under the drawing: of the place under the hand, or what the drawing shows. */
function Moving({ seam, tried }: { seam: Schemas["SeamRecord"]; tried: Schemas["Tried"] | null }) {
  const units = useUnits();
  if (tried) {
    const room =
      tried.stands_mm === null
        ? ""
        : tried.room_mm === null
          ? `Stands ${units.length(tried.stands_mm, 1)} into the inside. `
          : `Stands ${units.length(tried.stands_mm, 1)} into ${units.length(tried.room_mm, 1)} of room. `;
    return <>{room + (tried.holds ? "It holds there." : units.say(tried.said))}</>;
  }
  return (
    <>
      Seam {seam.number}, {units.area(seam.area_mm2)}, seen from {seam.letters.split("-")[0]}. {units.say(seam.advice)}
    </>
  );
}

function HardwareList({ piece }: { piece: StationProps["piece"] }) {
  const units = useUnits();
  const lines = piece.join?.hardware ?? [];
  return (
    <Box>
      {!!lines.length && (
        <PlainTable label="Pins and hardware" numbersFrom={2}>
          <thead>
            <tr>
              <th>Pins and hardware</th>
              <th>Thick</th>
              <th>Long</th>
              <th>Count</th>
            </tr>
          </thead>
          <tbody>
            {lines.map((h) => (
              <tr key={`${h.kind}/${h.diameter_mm}/${h.length_mm}`}>
                <td>{h.name || h.kind}</td>
                <td>{units.length(h.diameter_mm, 2)}</td>
                <td>{units.length(h.length_mm, 1)}</td>
                <td>{h.count}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      )}
      <Typography variant="body2" sx={{ mt: 0.5 }}>
        As CSV: <Link href={`/api/pieces/${piece.id}/hardware.csv`}>this piece</Link>,{" "}
        <Link href={`/api/builds/${piece.build}/hardware.csv`}>the whole build</Link>
      </Typography>
    </Box>
  );
}
