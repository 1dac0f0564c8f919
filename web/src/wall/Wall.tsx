/** The Wall: a row a piece, a column a station, and above it the runway. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { EMPTY_SELECT } from "../parts/Fields";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { active, api, need, useWall, useWearers, type Row, type Schemas } from "../api/client";
import { askAnew } from "../api/deciding";
import { Marks } from "../frame/RowStrip";
import { otherSheet, sheetsOf, type Sheet } from "../frame/sheets";
import { isTyping } from "../parts/Keys";
import { Mark } from "../parts/Mark";
import { ErrorNote } from "../parts/Notes";
import { Silhouette } from "../parts/Silhouette";
import { Busy, Failed } from "../parts/States";
import { Views } from "../parts/Views";
import { useUnits } from "../parts/units";
import { SERIF, type Inks } from "../theme/theme";
import { Drop } from "./Drop";
import { Runway } from "./Runway";

type Columns = Schemas["StationRecord"][];

const columns = (sheet: Sheet, others: number) =>
  `minmax(150px, 1.3fr) repeat(${sheet.stations.length}, minmax(0, 1fr))${others ? ` repeat(${others}, auto)` : ""}`;

export function Wall() {
  const build = Number(useParams().build);
  const { inks } = useTheme().palette;
  const [asked, ask] = useSearchParams();
  const wall = useWall(build);
  const sheets = sheetsOf(wall.data?.stations ?? []);
  const sheet = sheets.find((s) => s.key === asked.get("sheet")) ?? sheets[0];
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const other = otherSheet(sheets, sheet?.key ?? "");
      if (isTyping(e) || e.key.toLowerCase() !== "s" || !other || other === sheet) return;
      ask({ sheet: other.key }, { replace: true });
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  });
  if (wall.error && !wall.data) return <Failed error={wall.error} again={() => void wall.refetch()} />;
  if (!wall.data) return <Busy what="Opening the Wall" />;
  const { rows, calendar } = wall.data;
  return (
    <Box sx={{ pb: 3 }}>
      <Head build={wall.data.build} />
      <Runway calendar={calendar} due={wall.data.build.due} />
      {sheets.length > 1 && (
        <Views
          views={sheets.map((s) => s.title)}
          value={sheet.title}
          onChange={(t) => ask({ sheet: sheets.find((s) => s.title === t)!.key })}
        />
      )}
      {rows.length > 0 && (
        <Box
          role="table"
          aria-label="Pieces"
          sx={{ px: { xs: 1.5, lg: 2.5 }, pt: 1.5, ...rowStyles(inks, columns(sheet, sheets.length - 1)) }}
        >
          <HeadRow sheet={sheet} sheets={sheets} all={wall.data.stations} />
          {rows.map((row) => (
            <PieceRow key={row.id} row={row} build={build} sheet={sheet} sheets={sheets} pair={rows.find((r) => r.id === row.mirror_of)} />
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
    onSettled: () => askAnew(client),
  });
  return (
    <Box sx={{ px: 2.5, pt: 1.5, display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap" }}>
      <Typography variant="h1" sx={{ flex: 1, minWidth: 260 }}>
        {build.name}
      </Typography>
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label="Worn by"
        value={build.wearer ?? ""}
        onChange={(e) => change.mutate({ wearer: e.target.value === "" ? null : Number(e.target.value) })}
        sx={{ minWidth: 170 }}
      >
        <MenuItem value="">not chosen</MenuItem>
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

interface SheetProps {
  sheet: Sheet;
  sheets: Sheet[];
}

function HeadRow({ sheet, sheets, all }: SheetProps & { all: Columns }) {
  const { inks } = useTheme().palette;
  const others = sheets.filter((s) => s !== sheet);
  const number = (key: string) => all.findIndex((s) => s.key === key) + 1;
  const head = { px: { xs: 0.75, lg: 1.25 }, pb: 0.25, fontFamily: SERIF, fontStyle: "italic", fontSize: 14.5, whiteSpace: "nowrap" };
  return (
    <Box role="row" sx={{ display: "grid", gridTemplateColumns: columns(sheet, others.length), borderBottom: `2px solid ${inks.ink}` }}>
      <Box role="columnheader" sx={head}>
        Piece
      </Box>
      {sheet.stations.map((s) => (
        <Box key={s.key} role="columnheader" sx={head}>
          <span aria-hidden>{number(s.key)}. </span>
          {s.title}
        </Box>
      ))}
      {others.map((s) => (
        <Box key={s.key} role="columnheader" sx={{ ...head, minWidth: 12 + 16 * s.stations.length }}>
          {s.title}
        </Box>
      ))}
    </Box>
  );
}

/** One style for all rows: hundreds of cells that each carried their own took longer to draw than to ask for. */
const rowStyles = (inks: Inks, grid: string) => ({
  "& .row": {
    display: "grid",
    gridTemplateColumns: grid,
    borderBottom: `1px solid ${inks.line}`,
    minHeight: 60,
    // Rows that are not on screen are neither laid out nor painted.
    contentVisibility: "auto",
    containIntrinsicSize: "auto 60px",
  },
  "& .piece": { display: "flex", gap: "10px", alignItems: "center", padding: "4px 0", minWidth: 0 },
  "& .piece > div": { minWidth: 0 },
  "& .name": { fontFamily: SERIF, fontSize: 16, fontWeight: 600, lineHeight: 1.2 },
  "& .side": { fontSize: 12.5, lineHeight: 1.25, color: inks.faint, whiteSpace: "nowrap", overflow: "hidden", textOverflow: "ellipsis" },
  "& .cell": { borderLeft: `1px solid ${inks.line}`, minWidth: 0, display: "flex" },
  "& .other": { borderLeft: `2px solid ${inks.line}`, padding: "0 6px", display: "flex", alignItems: "center" },
  "& .cell > a": {
    flex: 1,
    minWidth: 0,
    padding: { xs: "6px 4px", lg: "6px 10px" },
    color: inks.ink,
    textDecoration: "none",
    fontSize: { xs: 12, lg: 13.5 },
    lineHeight: 1.35,
    "&:hover": { background: inks.sheet },
  },
  "& .fact": { display: "flex", gap: { xs: "4px", lg: "6px" }, alignItems: "center", fontWeight: 600 },
  "& .fact > b, & .under": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
  "& .under": { fontSize: 12.5, color: inks.faint },
  "& .stale b": { color: inks.faint },
  "& .stale .under": { fontStyle: "italic" },
});

function PieceRow({ row, build, sheet, sheets, pair }: SheetProps & { row: Row; build: number; pair?: Row }) {
  const units = useUnits();
  const others = sheets.filter((s) => s !== sheet);
  const page = `/build/${build}/piece/${row.id}`;
  const under = pair ? `mirrored from ${pair.name}` : active(row.job) ? row.job?.what || "queued" : row.side;
  return (
    <div role="row" className="row">
      <div role="rowheader" className="piece">
        <Silhouette path={row.silhouette} width={48} height={52} label={`Outline of ${row.name}`} />
        <div>
          <div className="name">{row.name}</div>
          <div className="side">
            {under}
            {row.drafts > 0 && (
              <>
                {under && ", "}
                <Link to={`${page}/drafts`} style={{ fontStyle: "italic", textDecorationStyle: "dashed" }}>
                  {units.count(row.drafts, "draft")}
                </Link>
              </>
            )}
          </div>
        </div>
      </div>
      {sheet.stations.map(({ key, title }) => {
        const station = row.stations[key];
        const [main, more] = [units.say(station.main), units.say(station.under)];
        const stale = station.state !== "fresh";
        return (
          <div key={key} role="cell" className={stale ? "cell stale" : "cell"}>
            <Link
              to={`${page}/${key}`}
              aria-label={`${row.name}, ${title}: ${station.verdict}, ${main} ${more}${stale ? `, ${station.state}` : ""}`}
              title={main}
            >
              <div className="fact">
                <Mark verdict={station.verdict} />
                <b>{main || (stale ? "" : "—")}</b>
              </div>
              <div className="under">{stale ? station.state : more}</div>
            </Link>
          </div>
        );
      })}
      {others.map((other) => (
        <div key={other.key} role="cell" className="other">
          <Link
            to={`${page}/${other.stations[0].key}`}
            aria-label={`${row.name}, ${other.title}: ${other.stations.map((s) => `${s.title} ${row.stations[s.key].verdict}`).join(", ")}`}
          >
            <Marks verdicts={other.stations.map((s) => row.stations[s.key].verdict)} />
          </Link>
        </div>
      ))}
    </div>
  );
}
