/** Scans of a wearer: stood up, measured, drawn with their tapes, and taken as the head or the body in every fit. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useRef, useState } from "react";
import { active, api, need, refusal, type Schemas } from "../../api/client";
import { LengthField } from "../../parts/Fields";
import { Mark } from "../../parts/Mark";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";

const ScanStage = lazy(() => import("../../stage/ScanStage"));

type Scan = Schemas["ScanRecord"];
type Found = NonNullable<Scan["found"]>;

export function Scans({ wearer }: { wearer: number }) {
  const client = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [kind, setKind] = useState<"head" | "body">("head");
  const scans = useQuery({
    queryKey: ["scans", wearer],
    queryFn: () => need(api.GET("/api/wearers/{id}/scans/", { params: { path: { id: wearer } } })),
    refetchInterval: (q) => (q.state.data?.some((s) => active(s.job)) ? 500 : false),
  });
  const again = () => {
    for (const key of ["scans", "wearers", "sheet", "readings", "wall", "piece"]) void client.invalidateQueries({ queryKey: [key] });
  };
  const bring = useMutation({
    mutationFn: async (file: File | null) => {
      const form = new FormData();
      form.append("kind", kind);
      if (file) form.append("file", file);
      else form.append("simulated", "true");
      const answer = await fetch(`/api/wearers/${wearer}/scans/`, { method: "POST", body: form });
      const body = await answer.json();
      if (!answer.ok) throw refusal(body, answer.status);
      return body as Scan;
    },
    onSettled: again,
  });
  const change = useMutation({
    mutationFn: ({ scan, ...body }: Schemas["PatchedScanChangeRequest"] & { scan: number }) =>
      need(api.PATCH("/api/wearers/{id}/scans/{scan}/", { params: { path: { id: wearer, scan: String(scan) } }, body })),
    onSettled: again,
  });
  const drop = useMutation({
    mutationFn: (scan: number) =>
      need(api.DELETE("/api/wearers/{id}/scans/{scan}/", { params: { path: { id: wearer, scan: String(scan) } } })),
    onSettled: again,
  });
  return (
    <Stack spacing={1.5} sx={{ p: 2.5 }}>
      <Typography color="text.secondary">
        A mesh from any phone: STL, OBJ or PLY, in any unit and any way up. Unit, pose, loose bits and noise are seen to here; hair is for
        you to say.
      </Typography>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center", flexWrap: "wrap" }} useFlexGap>
        <TextField select label="Scan of" value={kind} onChange={(e) => setKind(e.target.value as "head" | "body")} sx={{ width: 120 }}>
          <MenuItem value="head">head</MenuItem>
          <MenuItem value="body">body</MenuItem>
        </TextField>
        <Button variant="contained" onClick={() => chooser.current?.click()} disabled={bring.isPending}>
          {bring.isPending ? "Sending …" : "Add a scan"}
        </Button>
        <Button variant="outlined" onClick={() => bring.mutate(null)} disabled={bring.isPending || kind !== "head"}>
          Scan with the simulated scanner
        </Button>
        <input
          ref={chooser}
          type="file"
          hidden
          accept=".stl,.obj,.ply"
          aria-label="Scan file"
          onChange={(e) => {
            if (e.target.files?.[0]) bring.mutate(e.target.files[0]);
            e.target.value = "";
          }}
        />
      </Stack>
      <ErrorNote
        error={bring.error ?? change.error ?? drop.error ?? scans.error}
        onClose={() => (bring.reset(), change.reset(), drop.reset())}
      />
      {scans.data?.map((scan) => (
        <ScanCard
          key={scan.id}
          scan={scan}
          wearer={wearer}
          onChange={(body) => change.mutate({ scan: scan.id, ...body })}
          onDelete={() => drop.mutate(scan.id)}
        />
      ))}
      {scans.data?.length === 0 && <Typography>No scan yet. Until there is one, pieces are judged on the stand-in body.</Typography>}
    </Stack>
  );
}

interface CardProps {
  scan: Scan;
  wearer: number;
  onChange: (body: Schemas["PatchedScanChangeRequest"]) => void;
}

function ScanCard({ scan, onDelete, ...rest }: CardProps & { onDelete: () => void }) {
  const { inks } = useTheme().palette;
  const reads = active(scan.job);
  return (
    <Box role="article" aria-label={`Scan of the ${scan.kind}`} sx={{ border: `1px solid ${inks.line}`, p: 1.5 }}>
      {reads && (
        <Box role="status" sx={{ mb: 1 }}>
          <Typography variant="body2">
            Scan of the {scan.kind}: {scan.job?.what || "queued"} …
          </Typography>
          <LinearProgress variant="determinate" value={100 * (scan.job?.progress ?? 0)} aria-label="How far the scan is read" />
        </Box>
      )}
      {scan.job?.state === "failed" && <Typography sx={{ color: inks.stops, mb: 1 }}>{scan.job.message}</Typography>}
      {scan.found && <FoundOn scan={scan} found={scan.found} {...rest} />}
      <Button size="small" onClick={onDelete}>
        Delete this scan
      </Button>
    </Box>
  );
}

function FoundOn({ scan, found, wearer, onChange }: CardProps & { found: Found }) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const name = (key: string) => key.replace(/_mm$/, "").replaceAll("_", " ");
  return (
    <Stack direction="row" spacing={2} sx={{ flexWrap: "wrap" }} useFlexGap>
      {(["front", "side"] as const).map((view) => {
        const box = found.boxes[view];
        const stroke = box[3] / 230;
        return (
          <svg
            key={view}
            viewBox={box.join(" ")}
            height={scan.kind === "head" ? 200 : 300}
            role="img"
            aria-label={`The scan from the ${view}`}
          >
            <path d={found.outlines[view]} fill={inks.parts[1]} stroke={inks.ink} strokeWidth={stroke * 0.7} fillRule="evenodd" />
            {Object.entries(found.tapes)
              .filter(([, t]) => t.view === view)
              .map(([key, t]) => (
                <polyline
                  key={key}
                  points={t.front.map(([x, y]) => `${x},${y}`).join(" ")}
                  fill="none"
                  stroke={inks.chosen}
                  strokeWidth={stroke * 1.6}
                />
              ))}
          </svg>
        );
      })}
      <Box sx={{ flex: 1, minWidth: 260 }}>
        <Typography variant="body2" color="text.secondary">
          {found.done.map(units.say).join("; ")}. Lies {units.length(found.off_mm, 1)} off the stand-in in the middle.
        </Typography>
        {found.sure ? (
          <>
            <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "1fr auto", m: 0, my: 1, columnGap: 2, maxWidth: 330 }}>
              {Object.entries(found.values).map(([key, v]) => (
                <Box key={key} sx={{ display: "contents" }}>
                  <Typography component="dt" variant="body2">
                    {name(key)}
                  </Typography>
                  <Typography component="dd" variant="body2" sx={{ m: 0, fontWeight: 600 }}>
                    {units.plainLength(v.value, 1)} ± {units.length(v.sd, 1)}
                  </Typography>
                </Box>
              ))}
            </Box>
            <Stack direction="row" spacing={1} sx={{ flexWrap: "wrap" }} useFlexGap>
              <LengthField
                label="Hair to subtract"
                value={scan.hair_mm}
                onCommit={(v) => v !== null && onChange({ hair_mm: v })}
                width={160}
              />
              <Button variant="outlined" onClick={() => onChange({ keep: true })}>
                Copy these to the sheet
              </Button>
              <Button variant={scan.used ? "outlined" : "contained"} onClick={() => onChange({ used: !scan.used })}>
                {scan.used ? `Go back to the stand-in ${scan.kind}` : `Use as the ${scan.kind} in every fit`}
              </Button>
            </Stack>
          </>
        ) : (
          <Stack direction="row" spacing={1} sx={{ my: 1, alignItems: "center" }}>
            <Mark verdict="stops" />
            <Typography>It could stand two ways, so nothing was measured. Show its three points.</Typography>
          </Stack>
        )}
        <PointsForm scan={scan} found={found} wearer={wearer} onChange={onChange} />
      </Box>
    </Stack>
  );
}

/** The sure way: three places touched on the scan. */
function PointsForm({ scan, found, wearer, onChange }: CardProps & { found: Found }) {
  const [open, setOpen] = useState(!found.sure);
  const [points, setPoints] = useState<[number, number, number][]>([]);
  const wanted = found.points_wanted;
  if (!open) {
    return (
      <Button size="small" onClick={() => setOpen(true)}>
        Wrong way up: show three points
      </Button>
    );
  }
  return (
    <Box sx={{ mt: 1 }}>
      <Typography>
        {points.length < 3 ? `Touch the ${wanted[points.length]} (${points.length + 1} of 3). Drag to turn it.` : "All three are shown."}
      </Typography>
      <Suspense fallback={<Typography>Loading the 3D view …</Typography>}>
        <ScanStage
          file={`/api/wearers/${wearer}/scans/${scan.id}/preview/?v=${scan.reading}`}
          label={`The scan, to show ${wanted.join(", ")}`}
          points={points}
          onPoint={(p) => points.length < 3 && setPoints([...points, p])}
        />
      </Suspense>
      <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
        <Button
          variant="outlined"
          disabled={points.length < 3}
          onClick={() => (onChange({ shown: points }), setPoints([]), setOpen(false))}
        >
          Use these points
        </Button>
        <Button onClick={() => setPoints([])}>Start over</Button>
      </Stack>
    </Box>
  );
}
