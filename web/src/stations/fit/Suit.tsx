/** The suit table: every worn piece's minimum and chosen scale, its proportion to its neighbours, and its issues. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, need, useChangeById, useTrade, type Schemas } from "../../api/client";
import { askAnew } from "../../api/deciding";
import { NumberField } from "../../parts/Fields";
import { Mark } from "../../parts/Mark";
import { ErrorNote } from "../../parts/Notes";
import { Busy, Empty, Failed } from "../../parts/States";
import { useUnits } from "../../parts/units";
import { SERIF } from "../../theme/theme";
import { SuitMoving } from "./Moving";

const COLUMNS = "minmax(190px, 1.2fr) 92px 116px 92px 92px 100px 104px 88px minmax(190px, 1.6fr)";
const HEADS = ["Piece", "Worn on", "Scale", "Minimum scale", "Room", "Confidence", "To neighbours", "Thinnest wall", "Issues"];

export default function Suit() {
  const build = Number(useParams().build);
  const { inks } = useTheme().palette;
  const units = useUnits();
  const client = useQueryClient();
  const trade = useTrade();
  const [factor, setFactor] = useState<number | null>(null);
  const suit = useQuery({
    queryKey: ["suit", build],
    queryFn: () => need(api.GET("/api/builds/{id}/suit/", { params: { path: { id: build } } })),
    refetchInterval: (q) => (q.state.data?.rows.some((r) => r.state === "computing") ? 1500 : 6000),
  });
  const again = () => askAnew(client);
  const all = useMutation({
    mutationFn: (by: number) => need(api.POST("/api/builds/{id}/scale-all/", { params: { path: { id: build } }, body: { factor: by } })),
    onSettled: again,
  });
  if (suit.error && !suit.data) return <Failed error={suit.error} again={() => void suit.refetch()} />;
  if (!suit.data) return <Busy what="Comparing the pieces" />;
  if (suit.data.rows.length === 0) {
    return (
      <Empty title="No worn pieces yet">
        <Typography>Say on the Pieces page of each piece where it is worn. Then their scales are compared here.</Typography>
      </Empty>
    );
  }
  const guess = suit.data.factor;
  const chosen = factor ?? guess ?? 1;
  const wrong = suit.data.rows.filter((r) => r.issues.length > 0 || r.verdict === "stops").length;
  return (
    <Box sx={{ p: 2.5 }}>
      <Typography variant="h1">Suit</Typography>
      <Typography sx={{ mt: 1 }}>
        {guess
          ? `First guess from the statures: ${units.percent(guess)} (${units.say(suit.data.reason)}).`
          : "No stature is taken, so there is no first guess."}{" "}
        {wrong ? `${units.count(wrong, "piece")} of ${suit.data.rows.length} ${wrong === 1 ? "has" : "have"} issues.` : "No issues."}
      </Typography>
      <Stack direction="row" spacing={1} sx={{ my: 1.5, alignItems: "center" }}>
        <NumberField
          label="All to"
          suffix="%"
          value={Number((100 * chosen).toFixed(1))}
          onCommit={(v) => v !== null && setFactor(v / 100)}
          width={120}
        />
        <Button variant="contained" onClick={() => all.mutate(chosen)} disabled={all.isPending}>
          Scale all pieces to {units.percent(chosen)}
        </Button>
      </Stack>
      <ErrorNote error={all.error} />
      <Box role="table" aria-label="Suit" sx={{ overflowX: "auto" }}>
        <Box role="row" sx={{ display: "grid", gridTemplateColumns: COLUMNS, borderBottom: `2px solid ${inks.ink}`, minWidth: 1040 }}>
          {HEADS.map((head) => (
            <Box key={head} role="columnheader" sx={{ px: 1, fontFamily: SERIF, fontStyle: "italic", fontSize: 14 }}>
              {head}
            </Box>
          ))}
        </Box>
        {suit.data.rows.map((row) => (
          <SuitLine key={row.id} row={row} build={build} onChanged={again} />
        ))}
      </Box>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1.5 }}>
        {trade.data &&
          `“To neighbours”: the height a piece suits at its scale, against the pieces beside it on the same limb or the trunk. More than ${units.percent(trade.data.out_of_proportion, 0)} apart looks like two suits.`}
      </Typography>
      <SuitMoving build={build} fresh={suit.data.rows.map((r) => `${r.id}${r.state}${r.chosen}${r.room_mm}`).join()} />
    </Box>
  );
}

function SuitLine({ row, build, onChanged }: { row: Schemas["SuitLine"]; build: number; onChanged: () => void }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const change = useChangeById(row.id, onChanged);
  return (
    <Box
      role="row"
      aria-label={row.name}
      sx={{
        display: "grid",
        gridTemplateColumns: COLUMNS,
        borderBottom: `1px solid ${inks.line}`,
        alignItems: "center",
        minWidth: 1040,
        py: 1,
        color: row.state === "fresh" ? undefined : "text.secondary",
        "& > *": { px: 1 },
      }}
    >
      <Box role="rowheader" sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <Mark verdict={row.verdict} />
        <Link to={`/build/${build}/piece/${row.id}/fit`} style={{ fontFamily: SERIF }}>
          {row.name}
        </Link>
      </Box>
      <Box role="cell">{row.site.replaceAll("_", " ")}</Box>
      <Box role="cell">
        <NumberField
          label="scale"
          suffix="%"
          value={row.chosen === null ? null : Number((100 * row.chosen).toFixed(1))}
          optional
          onCommit={(v) => change.mutate({ scale: v === null ? null : [v / 100, v / 100, v / 100] })}
          width={100}
        />
      </Box>
      <Box role="cell">{row.wanted === null ? "—" : units.percent(row.wanted)}</Box>
      <Box role="cell">{row.room_mm === null ? "—" : units.length(row.room_mm, 1)}</Box>
      <Box role="cell">{row.probability === null ? "—" : units.percent(row.probability, 0)}</Box>
      <Box role="cell">{row.ratio === null ? "—" : units.percent(row.ratio)}</Box>
      <Box role="cell">{row.wall_mm === null ? "—" : units.length(row.wall_mm, 1)}</Box>
      <Box role="cell" sx={{ color: row.issues.length && row.state === "fresh" ? inks.tight : inks.faint, fontSize: 13.5 }}>
        {row.state !== "fresh" ? row.state : row.issues.map(units.say).join("; ") || "—"}
        <ErrorNote error={change.error} />
      </Box>
    </Box>
  );
}
