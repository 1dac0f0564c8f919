/** Moving with the pieces on: of a whole suit, or what concerns one piece. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { api, need, type Detail } from "../../api/client";
import { Mark } from "../../parts/Mark";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import { JointCard, JointDrawing, Reach } from "./JointCard";

const GRID = { display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(250px, 1fr))", gap: 1.5, mt: 1 };

/** ``fresh`` changes whenever a piece was fitted anew. */
function useMoved(build: number, fresh: string) {
  return useQuery({
    queryKey: ["moved", build, fresh],
    queryFn: () => need(api.GET("/api/builds/{id}/moved/", { params: { path: { id: build } } })),
    placeholderData: (before) => before,
  });
}

export function SuitMoving({ build, fresh }: { build: number; fresh: string }) {
  const moved = useMoved(build, fresh);
  if (moved.error) return <ErrorNote error={moved.error} />;
  const shown = moved.data?.meetings.filter((m) => m.tightest) ?? [];
  return (
    <Box component="section" aria-label="Moving in it" sx={{ mt: 3 }}>
      <Typography variant="h2">Moving in it</Typography>
      <Typography color="text.secondary">
        {moved.isPending
          ? "Moving every joint with the pieces on …"
          : moved.data?.waits ||
            (shown.length
              ? "Each joint until two pieces meet, or the chin its collar: dashed at rest, filled as far as it gets. The upright mark is what the movement takes."
              : "No two pieces of this build meet at a joint.")}
      </Typography>
      <Box sx={GRID}>
        {shown.map((m) => (
          <JointCard key={`${m.joint}/${m.side}`} meeting={m} />
        ))}
      </Box>
      {!!moved.data?.left_out.length && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          Left out, as they are not judged yet or worn by somebody else: {moved.data.left_out.join(", ")}.
        </Typography>
      )}
    </Box>
  );
}

export function PieceMoving({ piece }: { piece: Detail }) {
  const units = useUnits();
  const moved = useMoved(piece.build, piece.files.fit ?? "");
  const answer = piece.fit_data?.answer;
  const mine = moved.data?.meetings.filter((m) => m.stays_id === piece.id || m.goes_id === piece.id) ?? [];
  return (
    <Box sx={{ p: 2 }}>
      {answer?.bend && (
        <Typography>
          <Mark verdict={answer.bend.room_mm < 0 ? "tight" : "holds"} /> With {answer.bend.what} ({units.length(answer.bend.needs_girth_mm)}{" "}
          round):{" "}
          {answer.bend.room_mm < 0
            ? `${units.length(-answer.bend.room_mm, 1)} too tight at the ${answer.bend.where}.`
            : `${units.length(answer.bend.room_mm, 1)} left at the ${answer.bend.where}.`}
        </Typography>
      )}
      {answer?.crease && (
        <Box sx={{ mt: 1, maxWidth: 460, display: "flex", flexDirection: "column", gap: 0.75 }}>
          {answer.crease_drawing && (
            <JointDrawing meeting={answer.crease} drawing={answer.crease_drawing} name={`${answer.crease.side} ${answer.crease.joint}`} />
          )}
          <Typography>
            <Mark verdict={answer.crease.verdict} /> {units.prose(answer.crease.text)}
          </Typography>
          <Reach meeting={answer.crease} />
        </Box>
      )}
      {!answer?.bend && !answer?.crease && mine.length === 0 && !moved.isPending && (
        <Typography>Nothing of this piece moves against the body or its neighbours.</Typography>
      )}
      <ErrorNote error={moved.error} />
      {moved.isPending && <Typography color="text.secondary">Moving it against its neighbours …</Typography>}
      <Box sx={GRID}>
        {mine.map((m) => (
          <JointCard key={`${m.joint}/${m.side}/${m.stays_id}/${m.goes_id}`} meeting={m} />
        ))}
      </Box>
    </Box>
  );
}
