/** Undo and redo, in one place of the frame: of the piece that is open, else of the build. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Snackbar from "@mui/material/Snackbar";
import { useEffect } from "react";
import { usePiece, useWall } from "../api/client";
import { useGo, type Step } from "../api/deciding";
import { inField } from "../parts/Keys";
import { useUnits } from "../parts/units";

export function Undo({ build, piece, draft }: { build: number; piece: number | null; draft: boolean }) {
  return piece === null ? <OfBuild build={build} /> : <OfPiece build={build} piece={piece} draft={draft} />;
}

function OfBuild({ build }: { build: number }) {
  const wall = useWall(build);
  return <Buttons build={build} piece={null} undo={wall.data?.undo ?? null} redo={wall.data?.redo ?? null} />;
}

function OfPiece({ build, piece, draft }: { build: number; piece: number; draft: boolean }) {
  const shown = usePiece(piece);
  // A draft is dropped, not undone: the way back goes over what is kept.
  return (
    <Buttons
      build={build}
      piece={piece}
      undo={draft ? null : (shown.data?.undo ?? null)}
      redo={draft ? null : (shown.data?.redo ?? null)}
    />
  );
}

interface Props {
  build: number;
  piece: number | null;
  undo: Step | null;
  redo: Step | null;
}

function Buttons({ build, piece, undo, redo }: Props) {
  const units = useUnits();
  const go = useGo(build, piece);
  const { mutate, isPending } = go;
  const [back, forth] = [undo?.id, redo?.id];
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (!(e.ctrlKey || e.metaKey) || e.altKey || inField(e) || isPending) return;
      const key = e.key.toLowerCase();
      if (key === "z" && !e.shiftKey && back !== undefined) mutate({ way: "undo", step: back });
      else if (((key === "z" && e.shiftKey) || key === "y") && forth !== undefined) mutate({ way: "redo", step: forth });
      else return;
      e.preventDefault();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, [back, forth, isPending, mutate]);
  return (
    <Box role="group" aria-label="Back and forth" sx={{ display: "flex" }}>
      {(
        [
          ["undo", "Undo", undo],
          ["redo", "Redo", redo],
        ] as const
      ).map(([way, word, step]) => (
        <Button
          key={way}
          size="small"
          sx={{ minWidth: 0 }}
          disabled={!step || isPending}
          title={step ? `${word}: ${units.say(step.because)}` : undefined}
          aria-label={step ? `${word}: ${units.say(step.because)}` : word}
          onClick={() => step && mutate({ way, step: step.id })}
        >
          {word}
        </Button>
      ))}
      <Snackbar
        open={!!go.error}
        onClose={() => go.reset()}
        autoHideDuration={12000}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      >
        <Alert severity="error" variant="outlined" onClose={() => go.reset()} sx={{ bgcolor: "background.paper" }}>
          {go.error?.message}
        </Alert>
      </Snackbar>
    </Box>
  );
}
