/** The drafts of a piece side by side with what is kept: what each changes, what it would do, and keep or drop. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { ReactNode } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { usePiece, useShop } from "../api/client";
import { useDrafts, useEnd, type Draft } from "../api/deciding";
import { Mark } from "../parts/Mark";
import { ErrorNote } from "../parts/Notes";
import { Busy, Empty, Failed } from "../parts/States";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";
import { Differences } from "./DraftBand";
import { figures } from "./figures";
import { Pencil } from "./Pencil";

const PICTURE = { width: 150, height: 130 };

export default function SideBySide() {
  const params = useParams();
  const [build, id] = [Number(params.build), Number(params.piece)];
  const piece = usePiece(id);
  const drafts = useDrafts(id);
  const shop = useShop();
  const units = useUnits();
  const { inks } = useTheme().palette;
  const go = useNavigate();
  const end = useEnd(() => undefined);
  if (piece.error && !piece.data) return <Failed error={piece.error} again={() => void piece.refetch()} />;
  if (!piece.data || !drafts.data) return <Busy what="Laying the drafts side by side" />;
  const kept = piece.data;
  const page = `/build/${build}/piece/${id}`;
  const back = <Link to={`${page}/fit`}>Back to {kept.name}</Link>;
  if (drafts.data.length === 0) {
    return (
      <Empty title="No drafts">
        <Typography sx={{ mb: 1 }}>
          A draft is a change that is tried before it is kept. Press a remedy of a finding, or switch on “Try changes as drafts” (T) on any
          page of the piece; then several can be compared here.
        </Typography>
        {back}
      </Empty>
    );
  }
  const currency = shop.data?.currency ?? "";
  const columns = drafts.data.map((d) => figures(kept, d.row, units, currency));
  const grid = { display: "grid", gridTemplateColumns: `150px repeat(${drafts.data.length + 1}, minmax(190px, 1fr))` };
  const line = (label: string, first: ReactNode, others: ReactNode[], key: string) => (
    <Box key={key} role="row" sx={{ ...grid, borderBottom: `1px solid ${inks.line}` }}>
      <Box role="rowheader" sx={{ p: 1, fontFamily: SERIF, fontStyle: "italic" }}>
        {label[0].toUpperCase() + label.slice(1)}
      </Box>
      <Box role="cell" sx={{ p: 1 }}>
        {first}
      </Box>
      {others.map((o, i) => (
        <Box key={i} role="cell" sx={{ p: 1, borderLeft: `1.5px dashed ${inks.chosen}`, minWidth: 0 }}>
          {o}
        </Box>
      ))}
    </Box>
  );
  const close = (draft: Draft, keep: boolean) => end.mutate({ draft: draft.id, keep, version: kept.version });
  return (
    <Box sx={{ p: 2.5 }}>
      <Typography variant="h1">{kept.name}: kept and tried</Typography>
      {back}
      <ErrorNote error={end.error} onClose={() => end.reset()} />
      <Box role="table" aria-label="Drafts" sx={{ mt: 1.5, overflowX: "auto" }}>
        <Box role="row" sx={{ ...grid, borderBottom: `2px solid ${inks.ink}`, alignItems: "stretch" }}>
          <Box role="columnheader" sx={{ p: 1 }} />
          <Box role="columnheader" sx={{ p: 1, fontWeight: 600 }}>
            Kept
          </Box>
          {drafts.data.map((d) => (
            <Stack key={d.id} role="columnheader" sx={{ p: 1, gap: 1, borderLeft: `1.5px dashed ${inks.chosen}` }}>
              <Box sx={{ flex: 1, fontWeight: 600 }}>
                <Differences draft={d} />
                {d.because && (
                  <Typography variant="body2" color="text.secondary">
                    {units.say(d.because)}
                  </Typography>
                )}
              </Box>
              <Stack direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
                <Button size="small" variant="contained" disabled={end.isPending} onClick={() => close(d, true)}>
                  Keep
                </Button>
                <Button size="small" variant="outlined" disabled={end.isPending} onClick={() => close(d, false)}>
                  Drop
                </Button>
                <Button size="small" onClick={() => go(`${page}/fit?draft=${d.id}`)}>
                  Open
                </Button>
              </Stack>
            </Stack>
          ))}
        </Box>
        {line(
          "Outline",
          <Pencil kept={kept} {...PICTURE} label={`Outline of ${kept.name}`} />,
          drafts.data.map((d) => (
            <Pencil key={d.id} kept={kept} tried={d.row} {...PICTURE} label="Outline: kept in pale ink, this draft dashed over it" />
          )),
          "outline",
        )}
        {drafts.data.some((d) => d.revision) &&
          line(
            "Files",
            kept.pieces ? `${units.volume(kept.pieces.volume_mm3)}, ${units.count(kept.pieces.holes, "hole")}` : "",
            drafts.data.map((d) => (d.revision ? <Exchanged key={d.id} of={d.revision} /> : "as kept")),
            "files",
          )}
        {columns[0].map((figure, row) =>
          line(
            figure.label,
            <Told text={figure.kept} verdict={figure.was} />,
            columns.map((column) => {
              const f = column[row];
              const same = !f.open && f.kept === f.tried && f.verdict === f.was;
              return (
                <Box
                  key={f.key}
                  sx={{ fontStyle: same ? undefined : "italic", color: same ? "text.secondary" : undefined, fontWeight: same ? 400 : 600 }}
                >
                  {same ? "as kept" : <Told text={f.tried} verdict={f.open ? undefined : f.verdict} />}
                </Box>
              );
            }),
            figure.key,
          ),
        )}
      </Box>
    </Box>
  );
}

/** What another file changes: material, holes, outline, and what has to be printed again. */
function Exchanged({ of }: { of: NonNullable<Draft["revision"]> }) {
  const units = useUnits();
  const holes = of.holes[1] - of.holes[0];
  const features = of.features[1] - of.features[0];
  const more = (n: number, one: string, many?: string) => `${units.count(Math.abs(n), one, many)} ${n > 0 ? "more" : "fewer"}`;
  return (
    <span>
      {units.volume(of.volume_mm3[1])}
      {holes !== 0 && `, ${more(holes, "hole")}`}
      {features !== 0 && `, ${more(features, "pocket or slot", "pockets or slots")}`};{" "}
      {of.same_outline ? "same outline" : "another outline"}.{" "}
      {of.again.length ? `To print again: ${of.again.map((p) => p.replace(/^.*-/, "")).join(", ")}` : "Nothing to print again"}
      {of.as_before > 0 && `; ${units.count(of.as_before, "part")} as before`}.
    </span>
  );
}

function Told({ text, verdict }: { text: string; verdict?: Parameters<typeof Mark>[0]["verdict"] }) {
  return (
    <Stack component="span" direction="row" sx={{ gap: 0.75, alignItems: "center" }}>
      {verdict && <Mark verdict={verdict} size={12} />}
      <span>{text || "—"}</span>
    </Stack>
  );
}
