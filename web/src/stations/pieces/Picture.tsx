/** A picture of what the piece is to look like, kept with it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, need, refusal, type Detail } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";

export function Picture({ piece }: { piece: Detail }) {
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const onSettled = () => client.invalidateQueries({ queryKey: ["piece", piece.id] });
  const set = useMutation({
    mutationFn: async (file: File) => {
      const form = new FormData();
      form.append("file", file);
      const answer = await fetch(`/api/pieces/${piece.id}/picture/`, { method: "POST", body: form });
      if (!answer.ok) throw refusal(await answer.json().catch(() => undefined), answer.status);
    },
    onSettled,
  });
  const drop = useMutation({
    mutationFn: () => need(api.DELETE("/api/pieces/{id}/picture/", { params: { path: { id: piece.id } } })),
    onSettled,
  });
  return (
    <Box>
      <Typography variant="h3" component="h2" gutterBottom>
        Reference picture
      </Typography>
      {piece.picture && (
        <img src={`/api/photos/${piece.picture}`} alt={`What ${piece.name} is to look like`} style={{ maxWidth: "100%", maxHeight: 220 }} />
      )}
      <Stack direction="row" spacing={1}>
        <Button size="small" variant="outlined" disabled={set.isPending} onClick={() => chooser.current?.click()}>
          {piece.picture ? "Choose another" : "Add a picture"}
        </Button>
        {piece.picture && (
          <Button size="small" disabled={drop.isPending} onClick={() => drop.mutate()}>
            Take it away
          </Button>
        )}
      </Stack>
      <ErrorNote error={set.error ?? drop.error} onClose={() => (set.reset(), drop.reset())} />
      <input
        ref={chooser}
        type="file"
        hidden
        aria-label="Picture"
        accept="image/jpeg,image/png,image/webp"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) set.mutate(file);
          e.target.value = "";
        }}
      />
    </Box>
  );
}
