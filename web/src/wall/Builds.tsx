/** All builds: begin one, rename, put away. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, need, useBuilds, type Schemas } from "../api/client";
import { ErrorNote } from "../parts/Notes";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";

export function Builds() {
  const builds = useBuilds();
  const client = useQueryClient();
  const go = useNavigate();
  const [name, setName] = useState("");
  const begin = useMutation({
    mutationFn: () => need(api.POST("/api/builds/", { body: { name } })),
    onSuccess: (made) => go(`/build/${made.id}`),
    onSettled: () => client.invalidateQueries({ queryKey: ["builds"] }),
  });
  const running = builds.data?.filter((b) => !b.archived) ?? [];
  const away = builds.data?.filter((b) => b.archived) ?? [];
  return (
    <Box sx={{ p: 2.5, maxWidth: 900 }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Builds
      </Typography>
      <ErrorNote error={builds.error ?? begin.error} />
      {builds.data && running.length === 0 && (
        <Typography sx={{ mb: 2 }}>
          No build is under way. A build is one suit or prop for one date: give it a name, choose who wears it, bring in its model files. To
          look round first, start the application with <code>./bastion demo</code>.
        </Typography>
      )}
      {running.map((b) => (
        <BuildLine key={b.id} build={b} />
      ))}
      <Stack
        component="form"
        direction="row"
        spacing={1.5}
        sx={{ my: 3 }}
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim()) begin.mutate();
        }}
      >
        <TextField label="Name of a new build" value={name} onChange={(e) => setName(e.target.value)} sx={{ minWidth: 320 }} />
        <Button type="submit" variant="contained" disabled={!name.trim() || begin.isPending}>
          Begin
        </Button>
      </Stack>
      {away.length > 0 && <Typography variant="h2">Put away</Typography>}
      {away.map((b) => (
        <BuildLine key={b.id} build={b} />
      ))}
    </Box>
  );
}

function BuildLine({ build }: { build: Schemas["Build"] }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const client = useQueryClient();
  const [name, setName] = useState<string | null>(null);
  const change = useMutation({
    mutationFn: (body: Schemas["PatchedBuildRequest"]) =>
      need(api.PATCH("/api/builds/{id}/", { params: { path: { id: build.id } }, body })),
    onSuccess: () => setName(null),
    onSettled: () => client.invalidateQueries({ queryKey: ["builds"] }),
  });
  return (
    <Stack direction="row" spacing={1.5} sx={{ alignItems: "center", borderBottom: `1px solid ${inks.line}`, py: 0.75 }}>
      {name === null ? (
        <Box component={Link} to={`/build/${build.id}`} sx={{ flex: 1, fontFamily: SERIF, fontSize: 17, fontWeight: 600 }}>
          {build.name}
        </Box>
      ) : (
        <TextField
          label="New name"
          value={name}
          autoFocus
          sx={{ flex: 1 }}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && name.trim()) change.mutate({ name });
            if (e.key === "Escape") setName(null);
          }}
        />
      )}
      <Typography color="text.secondary">
        {units.count(build.pieces, "piece")}
        {build.due ? `, due ${units.date(build.due)}` : ""}
      </Typography>
      {name === null ? (
        <Button size="small" onClick={() => setName(build.name)}>
          Rename
        </Button>
      ) : (
        <Button size="small" variant="contained" disabled={!name.trim()} onClick={() => change.mutate({ name })}>
          Keep
        </Button>
      )}
      <Button size="small" onClick={() => change.mutate({ archived: !build.archived })}>
        {build.archived ? "Take up again" : "Put away"}
      </Button>
      <ErrorNote error={change.error} />
    </Stack>
  );
}
