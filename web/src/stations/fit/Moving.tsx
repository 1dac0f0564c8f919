/** Moving with the pieces on: of a whole suit, or what concerns one piece. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, need, type Detail } from "../../api/client";
import { Mark } from "../../parts/Mark";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import { JointCard, JointDrawing, Reach } from "./JointCard";

const GRID = { display: "grid", gridTemplateColumns: "repeat(auto-fill, minmax(250px, 1fr))", gap: 1.5, mt: 1 };

/** What is known of a build's joints; asked for where it is not. ``fresh`` changes whenever a piece was fitted anew. */
function useMotion(build: number, fresh: string) {
  const client = useQueryClient();
  const params = { path: { id: build } };
  const motion = useQuery({
    queryKey: ["motion", build, fresh],
    queryFn: () => need(api.GET("/api/builds/{id}/motion/", { params })),
    placeholderData: (before) => before,
    refetchInterval: (q) => (q.state.data?.state === "computing" ? 700 : false),
  });
  const ask = useMutation({
    mutationFn: () => need(api.POST("/api/builds/{id}/motion/", { params })),
    onSuccess: (told) => client.setQueryData(["motion", build, fresh], told),
  });
  const wanted = motion.data?.state === "stale" && !motion.data.waits.words && !motion.isPlaceholderData;
  const { mutate } = ask;
  useEffect(() => {
    if (wanted) mutate();
  }, [wanted, mutate, fresh]);
  return { ...motion, error: motion.error ?? ask.error };
}

type Known = ReturnType<typeof useMotion>;

/** What keeps a motion from being shown, in words. */
function Waiting({ motion }: { motion: Known }) {
  const units = useUnits();
  if (motion.data?.waits.words) return <>{units.say(motion.data.waits)}</>;
  if (motion.data?.state === "failed") return <>{motion.data.job?.message}</>;
  return <>Moving every joint with the pieces on …</>;
}

export function SuitMoving({ build, fresh }: { build: number; fresh: string }) {
  const motion = useMotion(build, fresh);
  if (motion.error) return <ErrorNote error={motion.error} />;
  const known = motion.data?.state === "fresh";
  const shown = motion.data?.contacts.filter((c) => c.tightest) ?? [];
  return (
    <Box component="section" aria-label="Moving in it" sx={{ mt: 3 }}>
      <Typography variant="h2">Moving in it</Typography>
      <Typography color="text.secondary">
        {!known ? (
          <Waiting motion={motion} />
        ) : shown.length ? (
          "Each joint until two pieces meet, or the chin its collar: dashed at rest, filled as far as it gets. The upright mark is what the movement takes."
        ) : (
          "No two pieces of this build meet at a joint."
        )}
      </Typography>
      <Box sx={GRID}>
        {shown.map((c) => (
          <JointCard key={`${c.contact.joint}/${c.contact.side}`} drawn={c} />
        ))}
      </Box>
      {!!motion.data?.left_out.length && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          Left out, as they are not judged yet or worn by somebody else: {motion.data.left_out.join(", ")}.
        </Typography>
      )}
    </Box>
  );
}

export function PieceMoving({ piece }: { piece: Detail }) {
  const units = useUnits();
  const motion = useMotion(piece.build, piece.files.fit ?? "");
  const answer = piece.fit_data?.answer;
  const known = motion.data?.state === "fresh";
  const mine = motion.data?.contacts.filter((c) => c.contact.stays_id === piece.id || c.contact.goes_id === piece.id) ?? [];
  return (
    <Box sx={{ p: 2 }}>
      {answer?.bend && (
        <Typography>
          <Mark verdict={answer.bend.verdict} /> With {answer.bend.what} ({units.length(answer.bend.needs_girth_mm)} round):{" "}
          {answer.bend.room_mm < 0
            ? `${units.length(-answer.bend.room_mm, 1)} too tight at the ${answer.bend.where}.`
            : `${units.length(answer.bend.room_mm, 1)} left at the ${answer.bend.where}.`}
        </Typography>
      )}
      {answer?.crease && (
        <Box sx={{ mt: 1, maxWidth: 460, display: "flex", flexDirection: "column", gap: 0.75 }}>
          {answer.crease_drawing && (
            <JointDrawing contact={answer.crease} drawing={answer.crease_drawing} name={`${answer.crease.side} ${answer.crease.joint}`} />
          )}
          <Typography>
            <Mark verdict={answer.crease.verdict} /> {units.say(answer.crease.text)}
          </Typography>
          <Reach contact={answer.crease} />
        </Box>
      )}
      {!answer?.bend && !answer?.crease && mine.length === 0 && known && (
        <Typography>Nothing of this piece moves against the body or its neighbours.</Typography>
      )}
      <ErrorNote error={motion.error} />
      {!known && !motion.error && (
        <Typography color="text.secondary">
          <Waiting motion={motion} />
        </Typography>
      )}
      <Box sx={GRID}>
        {mine.map((c) => (
          <JointCard key={`${c.contact.joint}/${c.contact.side}/${c.contact.stays_id}/${c.contact.goes_id}`} drawn={c} />
        ))}
      </Box>
    </Box>
  );
}
