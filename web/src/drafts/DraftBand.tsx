/** What is tried of a piece, between its row and its page: the draft that is open with what it would do, or the drafts there are. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { Link } from "react-router";
import { active, useShop, type Detail } from "../api/client";
import type { Draft } from "../api/deciding";
import { Mark } from "../parts/Mark";
import { useUnits } from "../parts/units";
import { changed, figures } from "./figures";
import { Pencil } from "./Pencil";

const SHOWN = 6;

interface Props {
  kept: Detail;
  drafts: Draft[];
  open: number | null;
  /** Address of this page with a draft, or with what is kept. */
  to: (draft: number | null) => string;
  compare: string;
  busy: boolean;
  onKeep: () => void;
  onDrop: () => void;
}

export function DraftBand({ kept, drafts, open, to, compare, busy, onKeep, onDrop }: Props) {
  const { inks } = useTheme().palette;
  const draft = drafts.find((d) => d.id === open);
  if (drafts.length === 0) return null;
  return (
    <Stack
      role="region"
      aria-label="Drafts"
      direction="row"
      sx={{
        alignItems: "center",
        gap: 2,
        px: 2,
        py: 0.75,
        minHeight: 54,
        bgcolor: "background.paper",
        borderBottom: `2px dashed ${draft ? inks.chosen : inks.line}`,
      }}
    >
      {draft ? <Open kept={kept} draft={draft} /> : <List drafts={drafts} to={to} />}
      <Box sx={{ flex: 1 }} />
      {drafts.length > 1 && (
        <Link to={compare} style={{ whiteSpace: "nowrap" }}>
          Compare {drafts.length}
        </Link>
      )}
      {draft && (
        <>
          <Link to={to(null)} style={{ whiteSpace: "nowrap" }}>
            Show kept
          </Link>
          <Button variant="outlined" disabled={busy} onClick={onDrop}>
            Drop
          </Button>
          <Button variant="contained" disabled={busy} onClick={onKeep}>
            Keep
          </Button>
        </>
      )}
      {!draft && drafts.length === 1 && <Link to={compare}>Compare</Link>}
    </Stack>
  );
}

function Open({ kept, draft }: { kept: Detail; draft: Draft }) {
  const units = useUnits();
  const shop = useShop();
  const all = changed(figures(kept, draft.row, units, shop.data?.currency ?? ""));
  const known = all.filter((f) => !f.open);
  const open = Object.values(draft.row.stations).filter((c) => c.state !== "fresh");
  const running = active(draft.row.job);
  return (
    <>
      <Pencil kept={kept} tried={draft.row} width={44} height={44} label="Outline: kept in pale ink, this draft dashed over it" />
      <Box sx={{ minWidth: 0 }}>
        <Typography sx={{ fontWeight: 600, lineHeight: 1.25 }}>
          Draft: <Differences draft={draft} />
        </Typography>
        <Box sx={{ display: "flex", columnGap: 2, flexWrap: "wrap", fontSize: 13.5 }} aria-label="What it would do" role="group">
          {known.slice(0, SHOWN).map((f) => (
            <Box component="span" key={f.key} sx={{ whiteSpace: "nowrap" }}>
              <Box component="span" sx={{ color: "text.secondary" }}>
                {f.label} {f.kept} →{" "}
              </Box>
              <Box component="em" sx={{ fontWeight: 600 }}>
                {f.tried}
              </Box>{" "}
              {f.verdict && f.verdict !== f.was && <Mark verdict={f.verdict} size={12} word />}
            </Box>
          ))}
          {open.length > 0 && (
            <em>
              {open.map((c) => c.title).join(", ")}: {open[0].state}
            </em>
          )}
          {all.length === 0 && <em>changes no figure</em>}
        </Box>
        {running && (
          <LinearProgress
            aria-label="Progress of the draft"
            variant={draft.row.job?.state === "queued" ? "indeterminate" : "determinate"}
            value={100 * (draft.row.job?.progress ?? 0)}
            sx={{ mt: 0.5 }}
          />
        )}
      </Box>
    </>
  );
}

/** What it changes: “Scale 100.0 % → 112.4 %”. */
export function Differences({ draft }: { draft: Draft }) {
  const units = useUnits();
  if (draft.differences.length === 0) return <>as kept</>;
  return (
    <>
      {draft.differences.map((d, i) => (
        <span key={d.key}>
          {i > 0 && "; "}
          {d.label} <span style={{ fontWeight: 400 }}>{units.say(d.before)} →</span> <em>{units.say(d.after)}</em>
        </span>
      ))}
    </>
  );
}

function List({ drafts, to }: { drafts: Draft[]; to: (draft: number) => string }) {
  const units = useUnits();
  return (
    <>
      <Typography sx={{ fontWeight: 600 }}>{units.count(drafts.length, "draft")}</Typography>
      {drafts.map((d) => (
        <Link key={d.id} to={to(d.id)} style={{ fontStyle: "italic", textDecorationStyle: "dashed" }}>
          {d.differences.map((x) => `${x.label} ${units.say(x.after)}`).join(", ") || "as kept"}
        </Link>
      ))}
    </>
  );
}
