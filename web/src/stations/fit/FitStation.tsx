/** How big: a helmet's inside drawn over the head, or a scale with its reason. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { EMPTY_SELECT } from "../../parts/Fields";
import Typography from "@mui/material/Typography";
import { lazy, Suspense, useState, type ReactNode } from "react";
import { useWearers } from "../../api/client";
import { LengthField, NumberField } from "../../parts/Fields";
import { useUnits } from "../../parts/units";
import type { StationProps, StationView } from "../Station";
import { HeadDrawing } from "./HeadDrawing";

const StandingStage = lazy(() => import("../pieces/StandingStage"));

export function FitStation({ piece, change, children }: StationProps & { children: (view: StationView) => ReactNode }) {
  const units = useUnits();
  const wearers = useWearers();
  const r = piece.recipe;
  const fit = piece.fit;
  const head = piece.fit_data?.head ?? null;
  const [apart, setApart] = useState(!!r.scale && new Set(r.scale).size > 1);
  const scale = fit?.scale ?? [1, 1, 1];
  const setAxis = (axis: number, percent: number | null) => {
    if (percent === null) return;
    change({
      scale: apart ? scale.map((s, i) => (i === axis ? percent / 100 : s)) : [percent / 100, percent / 100, percent / 100],
    });
  };
  const percentOf = (s: number) => Number((100 * s).toFixed(2));
  const wearer = wearers.data?.find((w) => w.id === piece.wearer?.id);
  const stage =
    head && wearer ? (
      <HeadDrawing piece={piece} head={head} breadth={wearer.measurements?.head_breadth_mm} length={wearer.measurements?.head_length_mm} />
    ) : (
      <>
        <Suspense fallback={null}>
          <StandingStage piece={piece} />
        </Suspense>
        {fit && (
          <Typography sx={{ position: "absolute", left: 16, top: 12 }}>
            {units.size(fit.size_mm)} at {units.percent(scale[0])}
          </Typography>
        )}
      </>
    );
  const decisions = (
    <>
      {fit && (
        <Typography>
          Suggested: <b>{units.percent(fit.suggested)}</b>
          {fit.verdict === "holds" ? ` (${units.prose(fit.reason).replace(/\.$/, "")})` : ""}.
        </Typography>
      )}
      <TextField
        select
        slotProps={EMPTY_SELECT}
        label="Worn by"
        value={r.wearer ?? ""}
        onChange={(e) => change({ wearer: e.target.value === "" ? null : Number(e.target.value) })}
      >
        <MenuItem value="">the build’s wearer</MenuItem>
        {wearers.data?.map((w) => (
          <MenuItem key={w.id} value={w.id}>
            {w.name}
          </MenuItem>
        ))}
      </TextField>
      <Box>
        <Stack direction="row" spacing={1} sx={{ flexWrap: "wrap", alignItems: "center" }} useFlexGap>
          {apart ? (
            ["across", "front to back", "upright"].map((label, axis) => (
              <NumberField
                key={label}
                label={label}
                suffix="%"
                width={116}
                value={percentOf(scale[axis])}
                onCommit={(v) => setAxis(axis, v)}
              />
            ))
          ) : (
            <NumberField label="Scale" suffix="%" value={percentOf(scale[0])} onCommit={(v) => setAxis(0, v)} />
          )}
          {r.scale && (
            <Button variant="outlined" onClick={() => (setApart(false), change({ scale: null }))}>
              Use the suggested
            </Button>
          )}
        </Stack>
        <FormControlLabel
          control={<Switch checked={apart} onChange={(_, on) => setApart(on)} />}
          label="Axes apart (turns round things oval; disliked for helmets)"
        />
      </Box>
      {r.site === "head" ? (
        <LengthField label="Padding each side" value={r.pad_mm ?? 8} onCommit={(v) => v !== null && change({ pad_mm: v })} width={190} />
      ) : (
        <Stack direction="row" spacing={1.5}>
          <LengthField
            label="Made for a height of"
            value={r.made_for_mm ?? 1830}
            onCommit={(v) => v !== null && change({ made_for_mm: v })}
            width={190}
          />
          <LengthField
            label="Or longest side"
            optional
            value={r.wanted_length_mm ?? null}
            onCommit={(v) => change({ wanted_length_mm: v })}
            width={170}
          />
        </Stack>
      )}
      <Typography variant="body2" color="text.secondary">
        Magnet pockets, pins, screws and clearances keep their true size whatever the scale.
        {r.site === "head" && " A helmet needs sight, breath, hearing and a quick way off; it protects nobody."}
      </Typography>
    </>
  );
  return children({ stage, decisions });
}
