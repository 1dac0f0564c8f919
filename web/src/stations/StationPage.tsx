/** One cell of the Wall opened: the piece's row along the top, what is tried of it, its stage and its ledger. */
import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { Suspense, useEffect, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { Refused, usePiece, useShop, useTrade, useWall } from "../api/client";
import { useChange, useDraft, useDrafts, useEnd, useRemedy } from "../api/deciding";
import { DraftBand } from "../drafts/DraftBand";
import { RowStrip } from "../frame/RowStrip";
import { otherSheet, sheetsOf } from "../frame/sheets";
import { isTyping } from "../parts/Keys";
import { Consequence, ErrorNote, Findings, JobLine } from "../parts/Notes";
import { Busy, Failed } from "../parts/States";
import { STATIONS } from "./registry";

const AHEAD_MS = 300;
const TRYING_KEY = "odd-bastion-trying";

export default function StationPage() {
  const params = useParams();
  const [build, id, slug] = [Number(params.build), Number(params.piece), params.station ?? "fit"];
  const [asked] = useSearchParams();
  const open = asked.has("draft") ? Number(asked.get("draft")) : null;
  const { inks } = useTheme().palette;
  const go = useNavigate();
  const page = `/build/${build}/piece/${id}`;
  const to = (station: string, draft: number | null = open) => `${page}/${station}${draft === null ? "" : `?draft=${draft}`}`;
  // Where a quick hand is by now: the address knows it before the page does.
  const hereIndex = () => STATIONS.findIndex((s) => location.pathname === `${page}/${s.key}`);
  const show = (draft: number | null) => void go(to(STATIONS[hereIndex()]?.key ?? slug, draft));

  const piece = usePiece(id);
  const drafts = useDrafts(id);
  const drafted = useDraft(open);
  const wall = useWall(build);
  const shop = useShop();
  const trade = useTrade();
  const [trying, setTrying] = useState(() => localStorage.getItem(TRYING_KEY) === "yes");
  const change = useChange(id, { draft: open, trying, onDraft: show });
  const remedy = useRemedy(id, show);
  const end = useEnd(() => show(null));
  const tryAll = (on: boolean) => {
    localStorage.setItem(TRYING_KEY, on ? "yes" : "no");
    setTrying(on);
  };

  const index = Math.max(
    STATIONS.findIndex((s) => s.key === slug),
    0,
  );
  const rows = wall.data?.rows;
  const sheets = sheetsOf(trade.data?.stations ?? []);
  const close = (keep: boolean) =>
    open !== null && piece.data && !end.isPending && end.mutate({ draft: open, keep, version: piece.data.version });

  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (isTyping(e)) return;
      const at = rows?.findIndex((r) => r.id === id) ?? -1;
      // The address knows of a draft that was made a moment ago before the page does.
      const draft = new URLSearchParams(location.search).get("draft");
      const beside = (piece: number | undefined, station: string | undefined) =>
        piece !== undefined &&
        station &&
        go(piece === id ? to(station, draft === null ? null : Number(draft)) : `/build/${build}/piece/${piece}/${station}`);
      const here = hereIndex() < 0 ? index : hereIndex();
      const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
      if (key === "ArrowLeft") beside(id, STATIONS[here - 1]?.key);
      else if (key === "ArrowRight") beside(id, STATIONS[here + 1]?.key);
      else if (key === "ArrowUp") beside(rows?.[at - 1]?.id, slug);
      else if (key === "ArrowDown") beside(rows?.[at + 1]?.id, slug);
      else if (key === "w") void go(`/build/${build}`);
      else if (key === "s")
        beside(id, otherSheet(sheets, sheets.find((s) => s.stations.some((x) => x.key === slug))?.key ?? "")?.stations[0].key);
      else if (key === "t") tryAll(!trying);
      else if (key === "c") void go(`${page}/drafts`);
      else if (key === "k") close(true);
      else if (key === "x") close(false);
      else return;
      e.preventDefault();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  });

  // While the maker looks at this station, the others' pages are fetched.
  useEffect(() => {
    const ahead = setTimeout(() => STATIONS.forEach((s) => void s.load()), AHEAD_MS);
    return () => clearTimeout(ahead);
  }, []);

  if (piece.error && !piece.data) return <Failed error={piece.error} again={() => void piece.refetch()} />;
  if (!piece.data) return <Busy what="Opening the piece" />;
  const gone = open !== null && drafted.error instanceof Refused && drafted.error.status === 404;
  const shown = open !== null && drafted.data && !gone ? drafted.data : piece.data;
  const station = STATIONS[index];
  const cell = shown.stations[station.key];
  const { View } = station;
  const stale = Object.values(shown.stations).some((s) => s.state !== "fresh");
  const inDraft = shown.draft_version !== null;
  return (
    <Box
      sx={{
        display: "flex",
        flexDirection: "column",
        flex: { xs: 1, md: "none" },
        minHeight: 0,
        height: { md: "calc(100vh - 46px)" },
      }}
    >
      <RowStrip piece={shown} sheets={sheets} current={station.key} to={to} />
      <DraftBand
        kept={piece.data}
        drafts={drafts.data ?? []}
        open={open}
        to={(draft) => to(slug, draft)}
        compare={`${page}/drafts`}
        busy={end.isPending}
        onKeep={() => close(true)}
        onDrop={() => close(false)}
      />
      {gone && (
        <Box sx={{ px: 2 }}>
          <ErrorNote
            error={new Error("This draft is not here any more: it was kept or dropped, perhaps in another window. Shown is what is kept.")}
            onClose={() => show(null)}
          />
        </Box>
      )}
      <Suspense fallback={<Busy what="Opening the page" />}>
        <View key={`${id}/${station.key}`} piece={shown} kept={inDraft ? piece.data : null} change={(c) => change.mutate(c)}>
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
                  width: { xs: "100%", md: 330, lg: 400 },
                  p: 2,
                  borderLeft: { md: inDraft ? `2px dashed ${inks.chosen}` : `1px solid ${inks.line}` },
                  borderTop: { xs: `1px solid ${inks.line}`, md: 0 },
                  bgcolor: "background.paper",
                  overflowY: "auto",
                }}
              >
                <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between", minHeight: 32 }}>
                  <Typography variant="h2" component="h1">
                    {cell.title}
                    {cell.state !== "fresh" && (
                      <Typography component="span" color="text.secondary" sx={{ fontStyle: "italic", pl: 1 }}>
                        {cell.state}
                      </Typography>
                    )}
                  </Typography>
                  <FormControlLabel
                    control={<Switch size="small" checked={trying} onChange={(e) => tryAll(e.target.checked)} />}
                    label="Try changes as drafts"
                    slotProps={{ typography: { variant: "body2" } }}
                    sx={{ mr: 0 }}
                  />
                </Stack>
                <JobLine job={shown.job} piece={id} />
                <ErrorNote error={change.error} onClose={() => change.reset()} />
                <ErrorNote error={remedy.error ?? end.error} onClose={() => (remedy.error ? remedy.reset() : end.reset())} />
                <Findings findings={cell.findings} notes={cell.notes} onTry={(r) => remedy.mutate(r)} busy={remedy.isPending} />
                {decisions}
                <Consequence piece={shown} kept={inDraft ? piece.data : null} shop={shop.data} stale={stale} />
              </Stack>
            </Box>
          )}
        </View>
      </Suspense>
    </Box>
  );
}
