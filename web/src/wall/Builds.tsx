/** All builds: what each is, when it is due, what stops it, how far it is; start one, rename, archive. */
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
import { askAnew } from "../api/deciding";
import { Mark } from "../parts/Mark";
import { ErrorNote } from "../parts/Notes";
import { Silhouette } from "../parts/Silhouette";
import { Busy, Empty, Failed } from "../parts/States";
import { Runway } from "./Runway";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";

export default function Builds() {
  const builds = useBuilds();
  const client = useQueryClient();
  const go = useNavigate();
  const units = useUnits();
  const [name, setName] = useState("");
  const begin = useMutation({
    mutationFn: () => need(api.POST("/api/builds/", { body: { name } })),
    onSuccess: (made) => go(`/build/${made.id}`),
    onSettled: () => client.invalidateQueries({ queryKey: ["builds"] }),
  });
  if (builds.error && !builds.data) return <Failed error={builds.error} again={() => void builds.refetch()} />;
  if (!builds.data) return <Busy what="Opening the builds" />;
  const running = builds.data.filter((b) => !b.archived);
  const away = builds.data.filter((b) => b.archived);
  return (
    <Box sx={{ p: 2.5 }}>
      <Stack direction="row" sx={{ mb: 2, gap: 2, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1" sx={{ flex: 1, minWidth: 160 }}>
          Builds
        </Typography>
        <Stack
          component="form"
          direction="row"
          spacing={1.5}
          onSubmit={(e) => {
            e.preventDefault();
            if (name.trim()) begin.mutate();
          }}
        >
          <TextField label="Name of a new build" value={name} onChange={(e) => setName(e.target.value)} sx={{ width: 280 }} />
          <Button type="submit" variant="contained" disabled={!name.trim() || begin.isPending}>
            Start
          </Button>
        </Stack>
      </Stack>
      <ErrorNote error={begin.error} />
      {running.length === 0 && (
        <Empty within title="No build yet">
          <Typography>
            A build is one suit or prop for one date: give it a name above, choose who wears it, add its model files. To look round first,
            start the application with <code>./bastion demo</code>.
          </Typography>
        </Empty>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fit, minmax(min(100%, 560px), 1fr))", gap: 2 }}>
        {running.map((b) => (
          <BuildCard key={b.id} build={b} />
        ))}
      </Box>
      {away.length > 0 && (
        <Typography variant="h2" sx={{ mt: 3, mb: 1 }}>
          Archive
        </Typography>
      )}
      {away.map((b) => (
        <Stack key={b.id} direction="row" spacing={2} sx={{ alignItems: "center" }}>
          <Name build={b} />
          <Typography color="text.secondary">{units.count(b.pieces, "piece")}</Typography>
          <Actions build={b} />
        </Stack>
      ))}
    </Box>
  );
}

type Line = Schemas["BuildLine"];

/** A build on a card: its pieces' outlines, who and when, what stops, how far. */
function BuildCard({ build }: { build: Line }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  return (
    <Box component="article" aria-label={build.name} sx={{ border: `1px solid ${inks.line}`, bgcolor: "background.paper", p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "baseline", gap: 2 }}>
        <Name build={build} />
        <Typography color="text.secondary" sx={{ whiteSpace: "nowrap" }}>
          {build.due ? `due ${units.date(build.due)}` : "no due date"}
        </Typography>
        <Actions build={build} />
      </Stack>
      <Stack direction="row" sx={{ gap: 1.5, my: 1.5, height: 108, alignItems: "flex-end", overflow: "hidden" }} aria-hidden>
        {build.outlines.map((path, i) => (
          <Silhouette key={i} path={path} width={84} height={104} label="" />
        ))}
        {build.outlines.length === 0 && <Typography color="text.secondary">no pieces yet</Typography>}
      </Stack>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap", alignItems: "center" }}>
        <Typography>
          {units.count(build.pieces, "piece")}
          {build.wearer && `, worn by ${build.wearer}`}
          {build.calendar && build.calendar.machine_h > 0 && `, ${units.hours(build.calendar.machine_h)} of printing`}
        </Typography>
        {VERDICTS.filter((v) => build.verdicts[v]).map((v) => (
          <Stack key={v} direction="row" sx={{ gap: 0.75, alignItems: "center" }}>
            <Mark verdict={v} size={12} word /> {build.verdicts[v]}
          </Stack>
        ))}
      </Stack>
      {build.calendar && <Runway calendar={build.calendar} due={build.due} />}
    </Box>
  );
}

const VERDICTS = ["stops", "tight", "waits", "holds"] as const;

function useBuildChange(build: Line, onSuccess?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["PatchedBuildRequest"]) =>
      need(api.PATCH("/api/builds/{id}/", { params: { path: { id: build.id } }, body })),
    onSuccess,
    onSettled: () => askAnew(client),
  });
}

function Actions({ build }: { build: Line }) {
  const change = useBuildChange(build);
  return (
    <>
      <Button size="small" onClick={() => change.mutate({ archived: !build.archived })}>
        {build.archived ? "Restore" : "Archive"}
      </Button>
      <ErrorNote error={change.error} />
    </>
  );
}

/** The name as a link; a press of Rename makes it a field. */
function Name({ build }: { build: Line }) {
  const [name, setName] = useState<string | null>(null);
  const change = useBuildChange(build, () => setName(null));
  if (name === null) {
    return (
      <Stack direction="row" sx={{ flex: 1, alignItems: "baseline", gap: 1, minWidth: 0 }}>
        <Box component={Link} to={`/build/${build.id}`} sx={{ fontFamily: SERIF, fontSize: 19, fontWeight: 600 }}>
          {build.name}
        </Box>
        <Button size="small" onClick={() => setName(build.name)}>
          Rename
        </Button>
      </Stack>
    );
  }
  return (
    <Stack direction="row" sx={{ flex: 1, gap: 1 }}>
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
      <Button size="small" variant="contained" disabled={!name.trim()} onClick={() => change.mutate({ name })}>
        Save
      </Button>
      <ErrorNote error={change.error} />
    </Stack>
  );
}
