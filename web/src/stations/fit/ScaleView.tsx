/** Scale against room: where each rule begins to hold, and what another scale or padding would do, at once. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useDeferredValue, useState } from "react";
import { api, layersOf, need, type Change, type Detail, type Layer, type Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";

const RoomChart = lazy(() => import("./RoomChart"));
const PlateChart = lazy(() => import("./PlateChart"));

interface Props {
  piece: Detail;
  answer: Schemas["AnswerRecord"];
  change: (change: Change) => void;
}

export function ScaleView({ piece, answer, change }: Props) {
  const units = useUnits();
  const now = Math.max(...answer.scale);
  const plate = answer.plate;
  const layers = layersOf(piece);
  const pads = layers.find((l) => l.name === "pad")?.thickness_mm ?? 0;
  const head = piece.recipe.site === "head";
  const [percent, setPercent] = useState(Number((100 * now).toFixed(1)));
  const [pad, setPad] = useState(pads);
  const asked = useDeferredValue({ scale: percent / 100, pad_mm: pad });
  const what = useQuery({
    queryKey: ["what-if", piece.id, piece.version, asked],
    queryFn: () => need(api.GET("/api/pieces/{id}/what-if/", { params: { path: { id: piece.id }, query: asked } })),
    placeholderData: (before) => before,
    retry: false,
    enabled: !plate,
  });
  const told = plate ? undefined : what.data;
  const rules = answer.marks.map((m) => `${m.rule} from ${units.percent(m.scale)}`);
  const grams = piece.print?.filament_g;
  return (
    <Box sx={{ p: 2 }}>
      <Typography variant="h2" component="p">
        {plate ? "How it follows the body, against scale" : "Room against scale"}
      </Typography>
      <Suspense fallback={<Typography>Drawing the curve …</Typography>}>
        {plate ? (
          <PlateChart plate={plate} chosen={now} asked={percent / 100} />
        ) : (
          <RoomChart curve={answer.curve} marks={answer.marks} chosen={now} asked={percent / 100} />
        )}
      </Suspense>
      <Typography variant="body2" color="text.secondary">
        {plate
          ? `Least uneven at ${units.percent(plate.best_scale)}; hardly worse from ${units.percent(plate.from_scale)} to ${units.percent(plate.to_scale)}.`
          : rules.length
            ? `Holds: ${rules.join("; ")}.`
            : "No rule binds this piece to a scale: it is laid on."}
      </Typography>
      <Stack direction="row" spacing={4} sx={{ mt: 2, flexWrap: "wrap" }} useFlexGap>
        <Box sx={{ width: 260 }}>
          <Typography id="if-scale">Scale {units.percent(percent / 100)}</Typography>
          <Slider aria-labelledby="if-scale" min={85} max={140} step={0.1} value={percent} onChange={(_, v) => setPercent(v as number)} />
        </Box>
        {head && (
          <Box sx={{ width: 200 }}>
            <Typography id="if-pad">Padding {units.length(pad, 1)}</Typography>
            <Slider aria-labelledby="if-pad" min={0} max={20} step={0.5} value={pad} onChange={(_, v) => setPad(v as number)} />
          </Box>
        )}
      </Stack>
      {told && (
        <Box role="region" aria-label="What it would do">
          <Typography>
            Least room {answer.room.least_mm === null ? "" : `${units.length(answer.room.least_mm, 1)} → `}
            <b>{units.length(told.room_mm, 1)}</b>
            {told.wall_mm !== null && `; thinnest wall ${units.length(told.wall_mm, 2)}`}
            {grams && told.filament_g !== null && `; about ${units.grams(grams)} → ${units.grams(told.filament_g)}`}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {answer.marks.length > 0 &&
              (told.met.length === answer.marks.length
                ? "Every rule holds there."
                : `Does not hold there: ${answer.marks
                    .filter((m) => !told.met.includes(m.rule))
                    .map((m) => m.rule)
                    .join(", ")}.`)}
          </Typography>
        </Box>
      )}
      <Button
        variant="contained"
        sx={{ mt: 1 }}
        disabled={Math.abs(percent / 100 - now) < 5e-4 && pad === pads}
        onClick={() =>
          change({ scale: [percent / 100, percent / 100, percent / 100], ...(pad === pads ? {} : { layers: padded(layers, pad) }) })
        }
      >
        Apply
      </Button>
    </Box>
  );
}

/** The layers with so much padding; none of it where there is none. */
function padded(layers: Layer[], pad: number): Layer[] {
  const pads = layers.filter((l) => l.name === "pad");
  if (pads.length === 0) return [{ name: "pad", thickness_mm: pad, where: "all" }, ...layers];
  return layers.map((l) => (l.name === "pad" ? { ...l, thickness_mm: pad } : l));
}
