/** Add model files: dropped or chosen, several at once, each with its progress and its own error. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { upload } from "../api/client";

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

  const send = async (files: File[]) => {
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
        void send([...e.dataTransfer.files]);
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
          void send([...(e.target.files ?? [])]);
          e.target.value = "";
        }}
      />
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
