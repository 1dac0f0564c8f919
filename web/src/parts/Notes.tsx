/** Findings with their remedies, running work, errors, and what a change did. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, need, type Detail, type Finding, type Note, type Row, type Schemas } from "../api/client";
import { Mark, NoteMark } from "./Mark";
import { totalsOf } from "../drafts/figures";
import { useUnits } from "./units";

interface FindingsProps {
  findings: Finding[];
  notes: Note[];
  /** Opens a remedy as a draft. */
  onTry?: (remedy: Finding["remedies"][number]) => void;
  busy?: boolean;
}

export function Findings({ findings, notes, onTry, busy }: FindingsProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  if (!findings.length && !notes.length) {
    return (
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <Mark verdict="holds" word />
        <Typography color="text.secondary">No issues.</Typography>
      </Stack>
    );
  }
  return (
    <Stack spacing={1} component="ul" aria-label="Findings" sx={{ listStyle: "none", m: 0, p: 0 }}>
      {findings.map((f, i) => (
        <Box key={i} component="li" sx={{ borderLeft: `4px solid ${inks[f.verdict]}`, pl: 1.5, py: 0.25 }}>
          <Mark verdict={f.verdict} word />
          <Typography sx={{ mt: 0.25 }}>{units.say(f.text)}</Typography>
          <Stack direction="row" useFlexGap spacing={1} sx={{ mt: f.remedies.length ? 0.75 : 0, flexWrap: "wrap" }}>
            {onTry &&
              f.remedies.map((r) => (
                <Button
                  key={r.label.words}
                  variant="outlined"
                  size="small"
                  disabled={busy}
                  title="Opens as a draft: computed, and kept only if you say so"
                  sx={{ borderStyle: "dashed" }}
                  onClick={() => onTry(r)}
                >
                  {units.say(r.label)}
                </Button>
              ))}
          </Stack>
        </Box>
      ))}
      {notes.map((n) => (
        <Stack key={n.code} component="li" direction="row" spacing={1} sx={{ borderLeft: `4px dotted ${inks.faint}`, pl: 1.5, py: 0.25 }}>
          <NoteMark />
          <Typography variant="body2" color="text.secondary">
            {units.say(n.text)}
          </Typography>
        </Stack>
      ))}
    </Stack>
  );
}

export function ErrorNote({ error, onClose }: { error: Error | null | undefined; onClose?: () => void }) {
  if (!error) return null;
  return (
    <Alert severity="error" variant="outlined" onClose={onClose} sx={{ my: 1 }}>
      {error.message}
    </Alert>
  );
}

export function JobLine({ job, piece }: { job: Row["job"]; piece: number }) {
  const client = useQueryClient();
  const again = () => {
    void client.invalidateQueries({ queryKey: ["piece", piece] });
    void client.invalidateQueries({ queryKey: ["wall"] });
  };
  const stop = useMutation({
    mutationFn: () => need(api.POST("/api/jobs/{id}/stop/", { params: { path: { id: job!.id } } })),
    onSuccess: again,
  });
  const compute = useMutation({
    mutationFn: () => need(api.POST("/api/pieces/{id}/compute/", { params: { path: { id: piece } } })),
    onSuccess: again,
  });
  if (!job || job.state === "done") return null;
  if (job.state === "queued" || job.state === "running") {
    return (
      <Stack direction="row" spacing={1.5} role="status" sx={{ alignItems: "center", minHeight: 40 }}>
        <Box sx={{ flex: 1 }}>
          <Typography variant="body2">{job.state === "queued" ? "Queued" : job.what || "Starting"}</Typography>
          <LinearProgress
            variant={job.state === "queued" ? "indeterminate" : "determinate"}
            value={100 * job.progress}
            aria-label="Progress"
          />
        </Box>
        <Button size="small" variant="outlined" onClick={() => stop.mutate()} disabled={stop.isPending}>
          Stop
        </Button>
      </Stack>
    );
  }
  return (
    <Stack direction="row" spacing={1.5} sx={{ alignItems: "center", minHeight: 40 }}>
      <Typography variant="body2" sx={{ flex: 1 }}>
        {job.state === "stopped" ? "Stopped." : "Failed."} The figures shown are the last ones computed.
      </Typography>
      <Button size="small" variant="outlined" onClick={() => compute.mutate()}>
        Compute again
      </Button>
    </Stack>
  );
}

interface ConsequenceProps {
  piece: Detail;
  /** What is kept, while ``piece`` is a draft of it. */
  kept: Detail | null;
  shop?: Schemas["Shop"];
  stale: boolean;
}

/** Before → after of the last change, or of keeping the draft that is shown; and the totals as they are. */
export function Consequence({ piece, kept, shop, stale }: ConsequenceProps) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const now = piece.totals;
  const was = kept ? kept.totals : piece.before;
  if (!now) return null;
  const line = totalsOf(units, shop?.currency ?? "");
  const title = kept ? "Keeping this draft would change" : was ? `What ${piece.before?.because || "the last change"} did` : "What it takes";
  return (
    <Box aria-label="Consequence" role="region" sx={{ borderTop: kept ? `2px dashed ${inks.chosen}` : `2px solid ${inks.ink}`, pt: 1 }}>
      <Typography variant="h3" component="h2">
        {stale ? "Being computed; the last figures" : title}
      </Typography>
      <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "auto 1fr", columnGap: 2, m: 0 }}>
        {line.map(([label, value]) => (
          <Box key={label} sx={{ display: "contents" }}>
            <Typography component="dt" color="text.secondary">
              {label}
            </Typography>
            <Typography component="dd" sx={{ m: 0, fontWeight: 600, color: stale ? "text.secondary" : undefined }}>
              {was && value(was) !== value(now) && (
                <Box component="span" sx={{ fontWeight: 400, color: "text.secondary" }}>
                  {value(was)} {"→"}{" "}
                </Box>
              )}
              <Box component="span" sx={{ fontStyle: kept ? "italic" : undefined }}>
                {value(now)}
              </Box>
            </Typography>
          </Box>
        ))}
      </Box>
      {!!piece.print?.unprintable.length && (
        <Typography color="error">Not counted: {units.count(piece.print.unprintable.length, "part")} that fits no bed.</Typography>
      )}
    </Box>
  );
}
