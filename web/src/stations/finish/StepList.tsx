/** What is done, in its order: the hours at the bench, and each work with its regions, ticked off with the minutes it took. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, need, useTrade, type Detail, type Schemas } from "../../api/client";
import { pressKey } from "../../api/press";
import { BenchLane } from "../../parts/BenchLane";
import { NumberField } from "../../parts/Fields";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import { grouped, runsOf, type Group } from "./grouped";

interface Props {
  piece: Detail;
  data: Schemas["FinishData"];
  onRegion: (id: string) => void;
}

function useTick(piece: number) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `ticks-${piece}` },
    mutationFn: (body: Schemas["TickAskedRequest"]) => need(api.POST("/api/pieces/{id}/ticks/", { params: { path: { id: piece } }, body })),
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ["piece", piece] });
      void client.invalidateQueries({ queryKey: ["wall"] });
    },
  });
}

export function StepList({ piece, data, onRegion }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const groups = useMemo(() => grouped(data.steps), [data]);
  const [open, setOpen] = useState(0);
  const tick = useTick(piece.id);
  const done = new Map(piece.ticks.map((t) => [t.step, t]));
  const runs = useMemo(() => runsOf(groups), [groups]);
  const left = data.steps.filter((s) => !done.has(s.key)).reduce((sum, s) => sum + s.hands_min, 0);
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Box sx={{ px: 1.5, pt: 0.5 }}>
        <Typography variant="body2" color="text.secondary">
          {units.count(done.size, "step")} ticked, {units.minutes(left)} of hands left. The bar below each day is drying.
        </Typography>
        <BenchLane
          steps={runs}
          bench={data.bench_h}
          from={data.bench_from_h}
          chosen={runs.findIndex((x) => x.group === open)}
          onChoose={(i) => setOpen(runs[i].group)}
        />
        <ErrorNote error={tick.error} onClose={() => tick.reset()} />
      </Box>
      <Box component="ol" aria-label="Steps" sx={{ flex: 1, overflowY: "auto", m: 0, px: 1.5, pb: 2, listStyle: "none" }}>
        {groups.map((g, i) => (
          <Box
            component="li"
            key={g.key}
            sx={{ borderTop: `1px solid ${inks.line}`, bgcolor: i === open ? "background.paper" : undefined }}
          >
            <Row
              group={g}
              number={i + 1}
              open={i === open}
              done={done}
              onOpen={() => setOpen(i)}
              onTick={tick.mutate}
              onRegion={onRegion}
            />
          </Box>
        ))}
      </Box>
    </Box>
  );
}

interface RowProps {
  group: Group;
  number: number;
  open: boolean;
  done: Map<string, Schemas["TickRecord"]>;
  onOpen: () => void;
  onTick: (body: Schemas["TickAskedRequest"]) => void;
  onRegion: (id: string) => void;
}

function Row({ group, number, open, done, onOpen, onTick, onRegion }: RowProps) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const trade = useTrade().data?.finish;
  const first = group.steps[0];
  const amount = group.steps.reduce((sum, s) => sum + s.amount, 0);
  const ticked = group.steps.filter((s) => done.has(s.key)).length;
  const day = Math.floor(group.start_h / 24) + 1;
  const all = ticked === group.steps.length;
  return (
    <Box sx={{ py: 0.5 }}>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <Checkbox
          checked={all}
          indeterminate={ticked > 0 && !all}
          slotProps={{ input: { "aria-label": `${group.what}, step ${number}, done` } }}
          onChange={() =>
            group.steps
              .filter((s) => done.has(s.key) === all)
              .forEach((s) => onTick({ press: pressKey(), step: s.key, done: !all, took_min: null }))
          }
          sx={{ p: 1.25 }}
        />
        <Button
          onClick={onOpen}
          aria-expanded={open}
          sx={{
            p: 0,
            flex: 1,
            justifyContent: "flex-start",
            textAlign: "left",
            color: "text.primary",
            textDecoration: all ? "line-through" : undefined,
          }}
        >
          {number}. {group.what}
          {first.grit ? `, P${first.grit}${first.wet ? " wet" : ""}` : ""}
        </Button>
        <Typography variant="body2" sx={{ whiteSpace: "nowrap", fontVariantNumeric: "tabular-nums" }}>
          day {day}, {units.minutes(group.hands_min)}
          {group.wait_h > 0 && `, then ${units.hours(group.wait_h)} drying`}
        </Typography>
      </Stack>
      {open && (
        <Box sx={{ pl: 6, pr: 1, pb: 1 }}>
          <Typography variant="body2">
            {first.product && first.unit === "ml" && `${first.product}: ${units.millilitres(amount)} in all. `}
            {first.how && `${first.how.replace(/\.$/, "")}. `}
            {first.latest_h !== null && `The next coat goes on within ${units.hours(first.latest_h)}, or it is sanded first. `}
          </Typography>
          {first.caution && (
            <Typography variant="body2" sx={{ borderLeft: `4px dotted ${inks.faint}`, pl: 1.25, my: 0.75 }}>
              {first.caution} The product’s own sheet and local rules come first.
            </Typography>
          )}
          <Stack spacing={0.5}>
            {group.steps.map((s) => (
              <Stack key={s.key} direction="row" useFlexGap spacing={1.5} sx={{ alignItems: "center", flexWrap: "wrap" }}>
                <Checkbox
                  size="small"
                  checked={done.has(s.key)}
                  slotProps={{ input: { "aria-label": `${s.what}, ${s.region}, done` } }}
                  onChange={(_, on) => onTick({ press: pressKey(), step: s.key, done: on, took_min: null })}
                />
                <Button size="small" sx={{ p: 0, minWidth: 130, justifyContent: "flex-start" }} onClick={() => onRegion(s.region_id)}>
                  {s.region}
                </Button>
                <Typography variant="body2" sx={{ minWidth: 86 }}>
                  {units.minutes(s.hands_min)}
                  {s.grit !== null && s.by_hand > 0.01 && s.by_hand < 0.99 && `, ${units.percent(s.by_hand, 0)} by hand`}
                </Typography>
                {trade && s.usual_min >= trade.teaches_from_min && (
                  <NumberField
                    label="Took"
                    suffix="min"
                    width={110}
                    optional
                    least={trade.minutes[0]}
                    most={trade.minutes[1]}
                    value={done.get(s.key)?.took_min ?? null}
                    onCommit={(v) => onTick({ press: pressKey(), step: s.key, done: true, took_min: v })}
                  />
                )}
              </Stack>
            ))}
          </Stack>
        </Box>
      )}
    </Box>
  );
}
