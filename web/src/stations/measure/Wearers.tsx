/** The wearers of the shop, each with their sheet; the wearer file in and out. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, need, refusal, useWearers } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";
import { Views } from "../../parts/Views";
import { Links } from "./Links";
import { Scans } from "./Scans";
import { Sheet } from "./Sheet";

export default function Wearers() {
  const wearers = useWearers();
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const [name, setName] = useState("");
  const [view, setView] = useState("Sheet");
  const again = () => client.invalidateQueries({ queryKey: ["wearers"] });
  const add = useMutation({
    mutationFn: () => need(api.POST("/api/wearers/", { body: { name } })),
    onSuccess: (made) => {
      setChosen(made.id);
      setName("");
    },
    onSettled: again,
  });
  const bring = useMutation({
    mutationFn: async (file: File) => {
      const form = new FormData();
      form.append("file", file);
      const answer = await fetch("/api/wearers/from-file/", { method: "POST", body: form });
      const body = await answer.json();
      if (!answer.ok) throw refusal(body, answer.status);
      return body as { id: number };
    },
    onSuccess: (made) => setChosen(made.id),
    onSettled: again,
  });
  const remove = useMutation({
    mutationFn: (id: number) => need(api.DELETE("/api/wearers/{id}/", { params: { path: { id } } })),
    onSuccess: () => setChosen(null),
    onSettled: again,
  });
  const wearer = wearers.data?.find((w) => w.id === chosen) ?? wearers.data?.[0];
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", flex: 1 }}>
      <Stack spacing={1.5} sx={{ p: 2.5, width: 300 }}>
        <Typography variant="h1">Wearers</Typography>
        {wearers.data?.map((w) => (
          <Button
            key={w.id}
            variant={w.id === wearer?.id ? "outlined" : "text"}
            onClick={() => setChosen(w.id)}
            sx={{ justifyContent: "flex-start" }}
          >
            {w.name}
          </Button>
        ))}
        {wearers.data?.length === 0 && (
          <Typography color="text.secondary">No wearers yet. Add the person who will wear the first piece.</Typography>
        )}
        <Stack direction="row" spacing={1} component="form" onSubmit={(e) => (e.preventDefault(), name.trim() && add.mutate())}>
          <TextField label="Name of a new wearer" value={name} onChange={(e) => setName(e.target.value)} />
          <Button type="submit" variant="contained" disabled={!name.trim()}>
            Add
          </Button>
        </Stack>
        <Button variant="outlined" onClick={() => chooser.current?.click()}>
          Import a wearer file
        </Button>
        <input
          ref={chooser}
          type="file"
          hidden
          accept=".json"
          aria-label="Wearer file"
          onChange={(e) => e.target.files?.[0] && bring.mutate(e.target.files[0])}
        />
        <ErrorNote error={add.error ?? bring.error ?? remove.error} />
        {wearer && (
          <>
            <Button component="a" href={`/api/wearers/${wearer.id}/file/`} download>
              Download {wearer.name}’s file
            </Button>
            <Button component="a" href={`/api/wearers/${wearer.id}/body/`} download>
              Download the stand-in body
            </Button>
            <Button color="error" onClick={() => confirm(`Delete ${wearer.name} and all their measurements?`) && remove.mutate(wearer.id)}>
              Delete {wearer.name}
            </Button>
          </>
        )}
      </Stack>
      {wearer && (
        <Box sx={{ flex: 1, minWidth: 360, display: "flex", flexDirection: "column" }}>
          <Views
            views={["Sheet", "Scan", "Link"]}
            value={view}
            onChange={setView}
            note={wearer.waiting ? `${wearer.waiting} sent in, waiting` : ""}
          />
          {view === "Sheet" && <Sheet key={wearer.id} wearer={wearer} />}
          {view === "Scan" && <Scans key={wearer.id} wearer={wearer.id} />}
          {view === "Link" && <Links key={wearer.id} wearer={wearer.id} />}
        </Box>
      )}
    </Box>
  );
}
