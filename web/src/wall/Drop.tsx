/** Add model files: dropped or chosen, several at once, each with its progress and its own error. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { addFile, api, need, upload, type Detail, type Schemas } from "../api/client";

interface Sending {
  name: string;
  share: number;
  error?: string;
}

export function Drop({ build, empty }: { build: number; empty: boolean }) {
  const { inks } = useTheme().palette;
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [sending, setSending] = useState<Sending[]>([]);
  const [several, setSeveral] = useState<File[]>([]);
  const go = useNavigate();

  const take = (files: File[]) => (files.length > 1 ? setSeveral(files) : void send(files));

  /** All files as one piece: the first makes it, the others join it. */
  const sendSet = async (files: File[]) => {
    setSeveral([]);
    setSending(files.map((f) => ({ name: f.name, share: 0 })));
    const note = (k: number, change: Partial<Sending>) => setSending((all) => all.map((s, i) => (k === i ? { ...s, ...change } : s)));
    let piece: Detail | null = null;
    const made: Schemas["SetFile"][] = [];
    for (const [k, file] of files.entries()) {
      try {
        if (piece) made.push(...(await addFile(piece.id, { file })));
        else {
          piece = await upload(build, file, (share) => note(k, { share }));
          made.push(...piece.made_of);
        }
        note(k, { share: 1 });
      } catch (error) {
        note(k, { error: (error as Error).message });
      }
    }
    if (piece && made.length > 1) {
      try {
        const params = { path: { id: piece.id } };
        await need(api.PATCH("/api/pieces/{id}/", { params, body: { files: made, version: piece.version } }));
        void go(`/build/${build}/piece/${piece.id}/pieces`);
      } catch (error) {
        note(0, { error: (error as Error).message });
      }
    }
    await client.invalidateQueries({ queryKey: ["wall", build] });
    setSending((all) => all.filter((s) => s.error));
  };

  const send = async (files: File[]) => {
    setSeveral([]);
    const fresh = files.map((f) => ({ name: f.name, share: 0 }));
    setSending(fresh);
    for (const [i, file] of files.entries()) {
      const note = (change: Partial<Sending>) => setSending((all) => all.map((s, k) => (k === i ? { ...s, ...change } : s)));
      try {
        await upload(build, file, (share) => note({ share }));
        note({ share: 1 });
      } catch (error) {
        note({ error: (error as Error).message });
      }
      await client.invalidateQueries({ queryKey: ["wall", build] });
    }
    setSending((all) => all.filter((s) => s.error));
  };

  return (
    <Box
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        take([...e.dataTransfer.files]);
      }}
      sx={{
        border: `1.5px dashed ${over ? inks.chosen : inks.line}`,
        p: empty ? 4 : 1.25,
        mx: 2.5,
        my: 1.5,
        display: "flex",
        gap: 2,
        alignItems: "center",
        flexWrap: "wrap",
      }}
    >
      <Button variant={empty ? "contained" : "outlined"} onClick={() => chooser.current?.click()}>
        Add model files
      </Button>
      <Typography color="text.secondary">
        {empty ? "Start here: drop the files of your first pieces on this sheet." : "Or drop them here."} STL, OBJ, PLY or 3MF, up to 300 MB
        each.
      </Typography>
      <input
        ref={chooser}
        type="file"
        multiple
        hidden
        aria-label="Model files"
        accept=".stl,.obj,.ply,.3mf"
        onChange={(e) => {
          take([...(e.target.files ?? [])]);
          e.target.value = "";
        }}
      />
      {several.length > 0 && (
        <Box
          role="group"
          aria-label="Several files"
          sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", width: "100%" }}
        >
          <Typography>{several.length} files:</Typography>
          <Button variant="contained" onClick={() => void send(several)}>
            Each is a piece
          </Button>
          <Button variant="contained" onClick={() => void sendSet(several)}>
            Together they are one piece
          </Button>
          <Button onClick={() => setSeveral([])}>Cancel</Button>
        </Box>
      )}
      {sending.map((s) => (
        <Box key={s.name} sx={{ width: "100%" }} role={s.error ? "alert" : "status"}>
          <Typography variant="body2" color={s.error ? "error" : undefined}>
            {s.name}
            {s.error ? `: ${s.error}` : ""}
          </Typography>
          {!s.error && <LinearProgress variant="determinate" value={100 * s.share} aria-label={`Sending ${s.name}`} />}
        </Box>
      ))}
    </Box>
  );
}
