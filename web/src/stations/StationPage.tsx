/** One cell of the Wall opened: the piece's row along the top, its neighbours a key press away. */
import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { Suspense, useEffect } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useChange, usePiece, useShop, useWall, type Detail } from "../api/client";
import { isTyping } from "../parts/Keys";
import { Mark } from "../parts/Mark";
import { Consequence, ErrorNote, Findings, JobLine } from "../parts/Notes";
import { Silhouette } from "../parts/Silhouette";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";
import { STATIONS } from "./registry";

export function StationPage() {
  const params = useParams();
  const [build, id, slug] = [Number(params.build), Number(params.piece), params.station ?? "fit"];
  const piece = usePiece(id);
  const wall = useWall(build);
  const shop = useShop();
  const change = useChange(piece.data);
  const go = useNavigate();
  const index = Math.max(
    STATIONS.findIndex((s) => s.key === slug),
    0,
  );
  const rows = wall.data?.rows;

  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (isTyping(e)) return;
      const at = rows?.findIndex((r) => r.id === id) ?? -1;
      const beside = (piece: number | undefined, station: string | undefined) =>
        piece !== undefined && station && go(`/build/${build}/piece/${piece}/${station}`);
      if (e.key === "ArrowLeft") beside(id, STATIONS[index - 1]?.key);
      else if (e.key === "ArrowRight") beside(id, STATIONS[index + 1]?.key);
      else if (e.key === "ArrowUp") beside(rows?.[at - 1]?.id, slug);
      else if (e.key === "ArrowDown") beside(rows?.[at + 1]?.id, slug);
      else if (e.key === "w" || e.key === "W") go(`/build/${build}`);
      else return;
      e.preventDefault();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, [build, go, id, index, rows, slug]);

  if (piece.error && !piece.data) return <ErrorNote error={piece.error} />;
  if (!piece.data) return <Typography sx={{ p: 3 }}>Opening the cell …</Typography>;
  const station = STATIONS[index];
  const cell = piece.data.stations[station.key];
  const { View } = station;
  const stale = Object.values(piece.data.stations).some((s) => s.state !== "fresh");
  return (
    <Box
      sx={{
        display: "flex",
        flexDirection: "column",
        flex: { xs: 1, md: "none" },
        minHeight: 0,
        height: { md: "calc(100vh - 47px)" },
      }}
    >
      <RowStrip piece={piece.data} build={build} current={station.key} />
      <Suspense fallback={<Typography sx={{ p: 3 }}>Opening the cell …</Typography>}>
        <View key={`${id}/${station.key}`} piece={piece.data} change={(c) => change.mutate(c)}>
          {({ stage, decisions }) => (
            <Box sx={{ display: "flex", flex: 1, flexDirection: { xs: "column", md: "row" }, minHeight: 0 }}>
              <Box
                sx={{
                  flex: 1,
                  minWidth: 0,
                  minHeight: { xs: 380, md: 0 },
                  position: "relative",
                  display: "flex",
                  flexDirection: "column",
                }}
              >
                {stage}
              </Box>
              <Stack
                spacing={1.75}
                role="region"
                aria-label="Ledger"
                sx={{
                  width: { xs: "100%", md: 400 },
                  p: 2,
                  borderLeft: { md: 1 },
                  borderTop: { xs: 1, md: 0 },
                  borderColor: "divider",
                  bgcolor: "background.paper",
                  overflowY: "auto",
                }}
              >
                <Typography variant="h2" component="h1">
                  {cell.title}
                  {cell.state !== "fresh" && (
                    <Typography component="span" color="text.secondary" sx={{ fontStyle: "italic", pl: 1 }}>
                      {cell.state}
                    </Typography>
                  )}
                </Typography>
                <JobLine job={piece.data.job} piece={id} />
                <ErrorNote error={change.error} onClose={() => change.reset()} />
                <Findings findings={cell.findings} notes={cell.notes} onTry={(c) => change.mutate(c)} />
                {decisions}
                <Consequence piece={piece.data} shop={shop.data} stale={stale} />
              </Stack>
            </Box>
          )}
        </View>
      </Suspense>
    </Box>
  );
}

function RowStrip({ piece, build, current }: { piece: Detail; build: number; current: string }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  return (
    <Box component="nav" aria-label="This piece's row" sx={{ display: "flex", borderBottom: `2px solid ${inks.ink}`, overflowX: "auto" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", px: 2, minWidth: 200 }}>
        <Silhouette path={piece.silhouette} width={40} height={44} label={`Outline of ${piece.name}`} />
        <Box>
          <Typography sx={{ fontFamily: SERIF, fontWeight: 600, lineHeight: 1.15 }}>{piece.name}</Typography>
          <Link to={`/build/${build}`} style={{ fontSize: 12.5 }}>
            back to the Wall
          </Link>
        </Box>
      </Box>
      {STATIONS.map(({ key }) => {
        const cell = piece.stations[key];
        const main = units.say(cell.main);
        const here = key === current;
        return (
          <Box
            key={key}
            component={Link}
            to={`/build/${build}/piece/${piece.id}/${key}`}
            aria-current={here ? "page" : undefined}
            sx={{
              flex: 1,
              minWidth: 104,
              px: 1.25,
              py: 0.75,
              borderLeft: `1px solid ${inks.line}`,
              color: "text.primary",
              textDecoration: "none",
              bgcolor: here ? "background.paper" : undefined,
              boxShadow: here ? `inset 0 -4px 0 ${inks.chosen}` : undefined,
            }}
          >
            <Box
              sx={{
                display: "flex",
                gap: 0.75,
                alignItems: "center",
                fontFamily: SERIF,
                fontStyle: "italic",
                fontSize: 14,
              }}
            >
              <Mark verdict={cell.verdict} size={12} /> {cell.title}
            </Box>
            <Box sx={{ fontSize: 12.5, fontWeight: 600, opacity: cell.state === "fresh" ? 1 : 0.5 }}>
              {cell.state === "fresh" ? main : main || cell.state}
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}
