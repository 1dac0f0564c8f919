/** The Wall: a row a piece, a column a station, and above it the runway. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { EMPTY_SELECT } from "../parts/Fields";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, need, useWall, useWearers, type Row, type Schemas } from "../api/client";
import { Mark } from "../parts/Mark";
import { ErrorNote } from "../parts/Notes";
import { Silhouette } from "../parts/Silhouette";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";
import { Drop } from "./Drop";
import { Runway } from "./Runway";

type Columns = Schemas["StationRecord"][];

const columns = (stations: Columns) => `minmax(190px, 1.35fr) repeat(${stations.length}, minmax(84px, 1fr))`;

export function Wall() {
  const build = Number(useParams().build);
  const wall = useWall(build);
  if (wall.error) return <ErrorNote error={wall.error} />;
  if (!wall.data) return <Typography sx={{ p: 3 }}>Unrolling the chart …</Typography>;
  const { rows, calendar, stations } = wall.data;
  return (
    <Box sx={{ pb: 3 }}>
      <Head build={wall.data.build} />
      <Runway calendar={calendar} due={wall.data.build.due} />
      {rows.length > 0 && (
        <Box role="table" aria-label="Pieces" sx={{ px: 2.5, pt: 1.5, overflowX: "auto" }}>
          <HeadRow stations={stations} />
          {rows.map((row) => (
            <PieceRow key={row.id} row={row} build={build} stations={stations} pair={rows.find((r) => r.id === row.mirror_of)} />
          ))}
        </Box>
      )}
      <Drop build={build} empty={rows.length === 0} />
    </Box>
  );
}

function Head({ build }: { build: Schemas["Build"] }) {
  const wearers = useWearers();
  const client = useQueryClient();
  const change = useMutation({
    mutationFn: (body: Schemas["PatchedBuildRequest"]) =>
      need(api.PATCH("/api/builds/{id}/", { params: { path: { id: build.id } }, body })),
    onSettled: () => client.invalidateQueries({ queryKey: ["wall", build.id] }),
  });
  return (
    <Box sx={{ px: 2.5, pt: 1.5, display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap" }}>
      <Typography variant="h1" sx={{ flex: 1, minWidth: 260 }}>
        {build.name}
      </Typography>
      <Link to={`/build/${build.id}/suit`}>The suit, piece by piece</Link>
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label="Worn by"
        value={build.wearer ?? ""}
        onChange={(e) => change.mutate({ wearer: e.target.value === "" ? null : Number(e.target.value) })}
        sx={{ minWidth: 170 }}
      >
        <MenuItem value="">nobody yet</MenuItem>
        {wearers.data?.map((w) => (
          <MenuItem key={w.id} value={w.id}>
            {w.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="Due"
        type="date"
        value={build.due ?? ""}
        onChange={(e) => change.mutate({ due: e.target.value || null })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <ErrorNote error={change.error} />
    </Box>
  );
}

function HeadRow({ stations }: { stations: Columns }) {
  const { inks } = useTheme().palette;
  return (
    <Box role="row" sx={{ display: "grid", gridTemplateColumns: columns(stations), borderBottom: `2px solid ${inks.ink}` }}>
      {["Piece", ...stations.map((s) => s.title)].map((title, i) => (
        <Box key={title} role="columnheader" sx={{ px: 1.25, pb: 0.25, fontFamily: SERIF, fontStyle: "italic", fontSize: 14.5 }}>
          {i > 0 && <span aria-hidden>{i}. </span>}
          {title}
        </Box>
      ))}
    </Box>
  );
}

function PieceRow({ row, build, stations, pair }: { row: Row; build: number; stations: Columns; pair?: Row }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const computing = row.job?.state === "queued" || row.job?.state === "running";
  return (
    <Box role="row" sx={{ display: "grid", gridTemplateColumns: columns(stations), borderBottom: `1px solid ${inks.line}`, minHeight: 62 }}>
      <Box role="rowheader" sx={{ display: "flex", gap: 1.25, alignItems: "center", py: 0.5 }}>
        <Silhouette path={row.silhouette} width={52} height={54} label={`Outline of ${row.name}`} />
        <Box sx={{ minWidth: 0 }}>
          <Typography sx={{ fontFamily: SERIF, fontWeight: 600, lineHeight: 1.2 }}>{row.name}</Typography>
          <Typography variant="caption" component="p" color="text.secondary" sx={{ lineHeight: 1.25 }}>
            {pair ? `mirrored from ${pair.name}` : computing ? row.job?.what || "waiting its turn" : row.side}
          </Typography>
        </Box>
      </Box>
      {stations.map(({ key, title }) => {
        const station = row.stations[key];
        const [main, more] = [units.say(station.main), units.say(station.under)];
        const stale = station.state !== "fresh";
        return (
          <Box
            key={key}
            role="cell"
            component={Link}
            to={`/build/${build}/piece/${row.id}/${key}`}
            aria-label={`${row.name}, ${title}: ${station.verdict}, ${main} ${more}${stale ? `, ${station.state}` : ""}`}
            sx={{
              borderLeft: `1px solid ${inks.line}`,
              px: 1.25,
              py: 0.75,
              color: "text.primary",
              textDecoration: "none",
              minWidth: 0,
              fontSize: 13.5,
              lineHeight: 1.3,
              "&:hover": { bgcolor: "background.paper" },
            }}
          >
            <Box sx={{ display: "flex", gap: 0.75, alignItems: "baseline" }}>
              <Box sx={{ alignSelf: "center", lineHeight: 0 }}>
                <Mark verdict={station.verdict} />
              </Box>
              <Box sx={{ fontWeight: 600, opacity: stale ? 0.5 : 1, overflowWrap: "anywhere" }}>{main || (stale ? "" : "—")}</Box>
            </Box>
            <Box sx={{ color: "text.secondary", fontSize: 12.5, opacity: stale ? 0.6 : 1 }}>{more}</Box>
            {stale && <Box sx={{ color: "text.secondary", fontSize: 12, fontStyle: "italic" }}>{station.state}</Box>}
          </Box>
        );
      })}
    </Box>
  );
}
