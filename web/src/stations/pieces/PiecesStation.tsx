/** What came in: the file, its unit, how it stands, its health, its mirror image. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { EMPTY_SELECT } from "../../parts/Fields";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { useNavigate } from "react-router";
import { api, need, type Change, useTrade } from "../../api/client";
import Slider from "@mui/material/Slider";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import type { StationProps } from "../types";
import { Files } from "./Files";
import { Holes } from "./Holes";
import { Picture } from "./Picture";

const StandingStage = lazy(() => import("./StandingStage"));

export default function PiecesStation({ piece, change, children }: StationProps) {
  const units = useUnits();
  const trade = useTrade();
  const go = useNavigate();
  const client = useQueryClient();
  const [leaving, setLeaving] = useState(false);
  const [name, setName] = useState<string | null>(null);
  const [note, setNote] = useState<string | null>(null);
  const [file, setFile] = useState<number | null>(null);
  const [hole, setHole] = useState<number | null>(null);
  const [explode, setExplode] = useState(0);
  const r = piece.recipe;
  const mirror = useMutation({
    mutationFn: () => need(api.POST("/api/pieces/{id}/mirror/", { params: { path: { id: piece.id } } })),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["wall"] });
      go(`/build/${piece.build}/piece/${made.id}/pieces`);
    },
  });
  const remove = useMutation({
    mutationFn: () => need(api.DELETE("/api/pieces/{id}/", { params: { path: { id: piece.id } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["wall"] });
      go(`/build/${piece.build}`);
    },
  });
  const turn = (axis: "turn_x" | "turn_y" | "turn_z") => change({ [axis]: (r[axis] + 1) % 4 } as Change);
  const stage = (
    <>
      <Suspense fallback={null}>
        <StandingStage piece={piece} explode={explode} chosenFile={file} chosenHole={hole} onChooseHole={setHole} />
      </Suspense>
      <Box sx={{ position: "absolute", left: 20, bottom: 10, width: 320 }}>
        {piece.pieces && piece.pieces.files.length > 1 && (
          <Slider
            aria-label="Exploded view"
            min={0}
            max={1}
            step={0.02}
            value={explode}
            onChange={(_, v) => setExplode(v as number)}
            size="small"
          />
        )}
        <Typography variant="caption">As it stands: up is up, the front faces you and a little to the right.</Typography>
      </Box>
    </>
  );
  const decisions = (
    <>
      {piece.pieces && (
        <Box component="ul" aria-label="Health" sx={{ m: 0, pl: 2.25 }}>
          {piece.pieces.sentences.map((s) => (
            <li key={s.words}>{units.say(s)}</li>
          ))}
          <li>
            {units.size(piece.pieces.size_mm)}, {units.plain(piece.pieces.triangles, 0)} triangles, {units.volume(piece.pieces.volume_mm3)}{" "}
            of material.
          </li>
          <li>The file stays as it came ({piece.file_name}); the mended body is kept beside it.</li>
        </Box>
      )}
      {piece.alike.map((s) => (
        <Typography key={s.words} role="note">
          {units.say(s)}
        </Typography>
      ))}
      <Files piece={piece} change={change} chosen={file} onChoose={setFile} onDraft={(draft) => void go(`?draft=${draft}`)} />
      <Holes piece={piece} change={change} chosen={hole} onChoose={setHole} />
      <Stack direction="row" spacing={1.5}>
        <TextField
          label="Name"
          value={name ?? piece.name}
          onChange={(e) => setName(e.target.value)}
          onBlur={() => name?.trim() && name !== piece.name && change({ name: name.trim() })}
          sx={{ flex: 1 }}
        />
        <TextField
          select
          slotProps={EMPTY_SELECT}
          label="Worn on"
          value={r.site}
          onChange={(e) => change({ site: e.target.value })}
          sx={{ minWidth: 118 }}
        >
          {(trade.data?.sites ?? [r.site]).map((site) => (
            <MenuItem key={site} value={site}>
              {site === "other" ? "elsewhere" : site.replaceAll("_", " ")}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          slotProps={EMPTY_SELECT}
          label="Side"
          value={r.side}
          onChange={(e) => change({ side: e.target.value })}
          sx={{ minWidth: 84 }}
        >
          <MenuItem value="">middle</MenuItem>
          <MenuItem value="left">left</MenuItem>
          <MenuItem value="right">right</MenuItem>
        </TextField>
      </Stack>
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label="Unit of the file"
        value={r.unit}
        onChange={(e) => change({ unit: e.target.value })}
        helperText={piece.pieces ? `${piece.pieces.unit}: ${units.say(piece.pieces.unit_reason)}` : undefined}
      >
        <MenuItem value="">as guessed</MenuItem>
        {trade.data?.units.map((u) => (
          <MenuItem key={u} value={u}>
            {u}
          </MenuItem>
        ))}
      </TextField>
      <Box>
        <Typography variant="h3" component="h2" gutterBottom>
          A quarter turn
        </Typography>
        <Stack direction="row" spacing={1}>
          <Button variant="outlined" onClick={() => turn("turn_x")}>
            Tip forward
          </Button>
          <Button variant="outlined" onClick={() => turn("turn_y")}>
            Tip sideways
          </Button>
          <Button variant="outlined" onClick={() => turn("turn_z")}>
            Turn round
          </Button>
        </Stack>
      </Box>
      <Picture piece={piece} />
      <TextField
        label="Note"
        multiline
        value={note ?? piece.note}
        onChange={(e) => setNote(e.target.value)}
        onBlur={() => note !== null && note !== piece.note && change({ note })}
      />
      <Stack direction="row" spacing={1}>
        <Button variant="outlined" onClick={() => mirror.mutate()} disabled={mirror.isPending}>
          Add its mirror image
        </Button>
        <Button color="error" onClick={() => setLeaving(true)}>
          Delete this piece
        </Button>
      </Stack>
      <ErrorNote error={mirror.error ?? remove.error} />
      <Dialog open={leaving} onClose={() => setLeaving(false)}>
        <DialogContent>
          {piece.name} and all decisions about it are deleted. Its file is deleted too if no other piece uses it.
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setLeaving(false)}>Cancel</Button>
          <Button color="error" onClick={() => remove.mutate()}>
            Delete
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
  return children({ stage, decisions });
}
