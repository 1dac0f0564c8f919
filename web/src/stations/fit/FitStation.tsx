/** How big, and whether it goes on: the piece on its wearer, its sections, the way in, what lies inside, sight, scale, try-outs. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { lazy, Suspense, useState } from "react";
import { Views } from "../../parts/Views";
import { useUnits } from "../../parts/units";
import type { Handling, SeatMove } from "../../stage/FitScene";
import type { StationProps } from "../types";
import { FitDecisions } from "./FitDecisions";
import { ScaleView } from "./ScaleView";
import { PieceMoving } from "./Moving";
import { Sections } from "./Sections";
import { SightDrawing } from "./SightDrawing";
import { TryOut } from "./TryOut";
import { WayInDrawing } from "./WayInDrawing";

const StandingStage = lazy(() => import("../pieces/StandingStage"));
const FitScene = lazy(() => import("../../stage/FitScene"));

export default function FitStation({ piece, kept, change, children }: StationProps) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const [view, setView] = useState("On the body");
  const [solid, setSolid] = useState(0.28);
  const [handling, setHandling] = useState<Handling>("look");
  const [placing, setPlacing] = useState<number | null>(null);
  const fit = piece.fit;
  const answer = piece.fit_data?.answer ?? null;

  const place = (point: [number, number, number]) => {
    if (placing === null || !answer) return;
    // The scene lies about the middle of the placed piece; the bay is kept in the piece's own scaled millimetres.
    const at = point.map((v, i) => v + answer.middle_mm[i] - answer.offset_mm[i]);
    const bays = piece.recipe.bays.map((b, i) => (i === placing ? { ...b, place: "" as const, at_mm: at } : b));
    change({ bays });
    setPlacing(null);
  };

  const sit = (move: SeatMove) => {
    const shift = piece.recipe.shift_mm;
    change({ shift_mm: shift.map((v, i) => Math.round(2 * (v + move.shift_mm[i])) / 2), turn_deg: move.turn_deg });
    setHandling("look");
  };
  const views = answer
    ? ["On the body", "Sections", "Way in", "Moving", ...(answer.sight ? ["Sight"] : []), "Scale", "Try out"]
    : ["Piece", "Try out"];
  const shown = views.includes(view) ? view : views[0];
  const stage = (
    <>
      <Views views={views} value={shown} onChange={setView} />
      <Box sx={{ position: "relative", flex: 1, minHeight: 340, display: "flex", flexDirection: "column", overflowY: "auto" }}>
        {shown === "On the body" && answer && piece.files.fit && (
          <>
            <Box sx={{ display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap", px: 2, py: 0.5 }}>
              <Typography sx={{ flex: 1, minWidth: 220 }}>
                {placing === null
                  ? `Least room ${answer.room.least_mm === null ? "unknown" : units.length(answer.room.least_mm, 1)}, at the ${answer.room.where}; ${units.percent(answer.room.touching, 0)} of the skin under it touches`
                  : "Touch the place on the piece where it goes"}
              </Typography>
              <Box role="group" aria-label="Dragging" sx={{ display: "flex", gap: 0.75 }}>
                {(
                  [
                    ["look", "Look"],
                    ["move", "Move"],
                    ["turn", "Turn"],
                  ] as const
                ).map(([key, words]) => (
                  <Button
                    key={key}
                    size="small"
                    variant={handling === key ? "contained" : "outlined"}
                    aria-pressed={handling === key}
                    onClick={() => setHandling(key)}
                  >
                    {words}
                  </Button>
                ))}
              </Box>
            </Box>
            <Box sx={{ position: "relative", flex: 1, minHeight: 300 }}>
              <Suspense fallback={<Typography sx={{ p: 4 }}>Loading the 3D view …</Typography>}>
                <FitScene
                  file={`/api/stage/${piece.files.fit}/`}
                  label={`${piece.name} on ${piece.wearer?.name ?? "the wearer"}: least room ${answer.room.least_mm === null ? "unknown" : units.length(answer.room.least_mm, 1)} at the ${answer.room.where}`}
                  piece={solid}
                  pressing={answer.bays.flatMap((b, i) => (b.fits ? [] : [i + 1]))}
                  passes={answer.way_in.passes}
                  tightMm={answer.tight_mm}
                  onPlace={placing === null ? undefined : place}
                  handling={handling}
                  turned={piece.recipe.turn_deg}
                  onSeat={sit}
                  pencil={kept !== null}
                />
              </Suspense>
            </Box>
            <Box
              sx={{
                position: "absolute",
                left: 16,
                bottom: 10,
                right: 16,
                display: "flex",
                gap: 2,
                alignItems: "center",
                flexWrap: "wrap",
              }}
            >
              {(
                [
                  ["stops", "overlaps the body"],
                  ["tight", `under ${units.length(answer.tight_mm)}`],
                  ["holds", "room"],
                ] as const
              ).map(([meaning, words]) => (
                <Typography key={meaning} variant="body2" sx={{ display: "flex", alignItems: "center", gap: 0.75 }}>
                  <Box component="span" sx={{ width: 14, height: 14, bgcolor: inks[meaning] }} /> {words}
                </Typography>
              ))}
              <Typography variant="body2" id="solid-label">
                Piece
              </Typography>
              <Slider
                aria-labelledby="solid-label"
                min={0}
                max={1}
                step={0.05}
                value={solid}
                onChange={(_, v) => setSolid(v as number)}
                sx={{ width: 120 }}
                size="small"
              />
            </Box>
          </>
        )}
        {shown === "Sections" && piece.fit_data && <Sections sections={piece.fit_data.sections} kept={kept?.fit_data?.sections} />}
        {shown === "Way in" && answer && <WayInDrawing way={answer.way_in} />}
        {shown === "Moving" && <PieceMoving piece={piece} />}
        {shown === "Sight" && answer?.sight && <SightDrawing sight={answer.sight} />}
        {shown === "Scale" && answer && <ScaleView piece={piece} answer={answer} change={change} />}
        {shown === "Try out" && <TryOut piece={piece} />}
        {shown === "Piece" && (
          <>
            <Suspense fallback={null}>
              <StandingStage piece={piece} />
            </Suspense>
            {fit && (
              <Typography sx={{ position: "absolute", left: 16, bottom: 12 }}>
                {units.size(fit.size_mm)} at {units.percent(fit.scale[0])}
              </Typography>
            )}
          </>
        )}
      </Box>
    </>
  );
  return children({ stage, decisions: <FitDecisions piece={piece} change={change} placing={placing} onPlacing={setPlacing} /> });
}
