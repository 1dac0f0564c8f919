/** In which order it comes together: each step drawn, in words, and on the clock. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, need, useDecision, useTrade, type Schemas } from "../../api/client";
import { BenchLane } from "../../parts/BenchLane";
import { DecisionField } from "../../parts/DecisionField";
import { EMPTY_SELECT } from "../../parts/Fields";
import { moved } from "../../parts/moved";
import { useUnits } from "../../parts/units";
import type { StationProps } from "../types";
import { Drawing } from "./Drawing";
import { InsideList } from "./Inside";
import { Mends } from "./Mends";
import { StepCard } from "./StepCard";

type Data = Schemas["AssembleData"];
type Drawings = Schemas["AssemblyDrawings"];

function useDrawings(hash: string | null) {
  return useQuery({
    queryKey: ["assembly", hash],
    queryFn: () => need(api.GET("/api/assembly/{hash_}/", { params: { path: { hash_: hash ?? "" } } })),
    enabled: hash !== null,
    staleTime: Infinity,
  });
}

export default function AssembleStation({ piece, kept, change, children }: StationProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const trade = useTrade().data;
  const inside = useDecision("inside");
  const [wanted, setWanted] = useState(0);
  const drawn = useDrawings(piece.files.assembly);
  const data = piece.assemble_data;
  const steps = data?.steps ?? [];
  const index = Math.min(wanted, Math.max(steps.length - 1, 0));
  const r = piece.recipe;

  const stage =
    data && steps.length ? (
      <Box sx={{ display: "flex", flexDirection: "column", height: "100%", minHeight: 0 }}>
        <Box
          sx={{
            flex: 1,
            minHeight: 0,
            display: "grid",
            gridTemplateColumns: { xs: "1fr", sm: "minmax(0, 11fr) minmax(0, 9fr)" },
            gridTemplateRows: { xs: "320px auto", sm: "minmax(0, 1fr)" },
          }}
        >
          <Box sx={{ p: 1.5, pb: 1, minHeight: 0, bgcolor: "background.default", display: "flex", flexDirection: "column" }}>
            <Box sx={{ flex: 1, minHeight: 0 }}>
              {drawn.data?.steps[index] && (
                <Drawing drawing={drawn.data.steps[index]} label={`Step ${index + 1}: ${units.say(steps[index].title)}`} />
              )}
            </Box>
            <Stack direction="row" spacing={1} sx={{ pt: 1 }}>
              <Button variant="outlined" disabled={index === 0} onClick={() => setWanted(index - 1)}>
                Step before
              </Button>
              <Button variant="outlined" disabled={index === steps.length - 1} onClick={() => setWanted(index + 1)}>
                Next step
              </Button>
            </Stack>
          </Box>
          <Box sx={{ borderLeft: { sm: `1px solid ${inks.line}` }, minHeight: 0, bgcolor: "background.paper" }}>
            <StepCard piece={piece} steps={steps} index={index} change={change} />
          </Box>
        </Box>
        <Box sx={{ px: 1.5, pt: 0.5, borderTop: `1px solid ${inks.line}` }}>
          <BenchLane steps={steps} bench={data.bench_h} from={data.bench_from_h} chosen={index} onChoose={setWanted} />
        </Box>
        <Strip data={data} drawn={drawn.data} chosen={index} onChoose={setWanted} />
      </Box>
    ) : (
      <Typography color="text.secondary" sx={{ p: 4 }}>
        {piece.assemble?.impossible.words
          ? "There is no order yet: see what is said beside."
          : piece.assemble
            ? "One part, and nothing goes inside: there is nothing to put together."
            : "The order appears here once the parts are joined and laid. A piece of several parts gets it by itself."}
      </Typography>
    );

  const before = kept?.assemble;
  const decisions = (
    <>
      {piece.assemble && piece.assemble.steps > 0 && (
        <Typography>
          {moved(before?.hands_h, piece.assemble.hands_h, units.hours)} of hands over{" "}
          {moved(before?.days, piece.assemble.days, (d) => units.count(d, "day"))}
          {piece.assemble.waits_h >= 0.05 && (
            <>; on the longest chain {moved(before?.waits_h, piece.assemble.waits_h, units.hours)} of setting and drying</>
          )}
          .
        </Typography>
      )}
      <TextField
        select
        label={inside?.label ?? "Inside"}
        value={r.inside}
        onChange={(e) => change({ inside: e.target.value })}
        slotProps={EMPTY_SELECT}
      >
        <MenuItem value="">left as printed</MenuItem>
        {Object.entries(trade?.insides ?? {}).map(([key, name]) => (
          <MenuItem key={key} value={key}>
            {name}
          </MenuItem>
        ))}
      </TextField>
      <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
        <DecisionField of="bench_h" piece={piece} change={change} width={190} />
        <FormControlLabel
          control={<Switch checked={r.visor} onChange={(e) => change({ visor: e.target.checked })} />}
          label="A visor goes in"
        />
      </Stack>
      <InsideList piece={piece} change={change} />
      {r.fixed.length + r.unglued.length > 0 && (
        <Box role="group" aria-label="Decided by you">
          <Typography variant="h3" component="h2">
            Decided by you
          </Typography>
          <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", mt: 0.75 }}>
            {r.fixed.map((f, i) => (
              <Chip
                key={`${f.first}<${f.then}`}
                label={`${f.first} before ${f.then}`}
                onDelete={() => change({ fixed: r.fixed.filter((_, k) => k !== i) })}
              />
            ))}
            {r.unglued.map((seam) => (
              <Chip key={seam} label={`${seam} unglued`} onDelete={() => change({ unglued: r.unglued.filter((s) => s !== seam) })} />
            ))}
          </Stack>
        </Box>
      )}
      {data && data.mends.length > 0 && <Mends data={data} chosen={index} piece={piece} change={change} />}
      {steps.length > 0 && (
        <Typography variant="body2">
          To print: <Link href={`/api/pieces/${piece.id}/assembly.pdf`}>the order, four steps a page (PDF)</Link>
        </Typography>
      )}
    </>
  );
  return children({ stage, decisions });
}

interface StripProps {
  data: Data;
  drawn: Drawings | undefined;
  chosen: number;
  onChoose: (index: number) => void;
}

/** All steps as small drawings, in their order. */
function Strip({ data, drawn, chosen, onChoose }: StripProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const place = useRef<HTMLOListElement>(null);
  useEffect(() => {
    const shown = place.current?.children[chosen] as HTMLElement | undefined;
    if (shown && place.current) place.current.scrollTo({ left: shown.offsetLeft - place.current.offsetLeft - 120 });
  }, [chosen]);
  return (
    <Box
      component="ol"
      ref={place}
      aria-label="Steps"
      sx={{ display: "flex", gap: 0.75, overflowX: "auto", m: 0, px: 1.5, py: 1, listStyle: "none", borderTop: `1px solid ${inks.line}` }}
    >
      {data.steps.map((s, i) => (
        <li key={s.key}>
          <Box
            component="button"
            onClick={() => onChoose(i)}
            aria-current={i === chosen ? "step" : undefined}
            aria-label={`${i + 1}. ${units.say(s.title)}`}
            sx={{
              width: 92,
              height: 106,
              p: 0.5,
              font: "inherit",
              fontSize: 12,
              lineHeight: 1.15,
              color: "text.primary",
              textAlign: "left",
              cursor: "pointer",
              bgcolor: i === chosen ? "background.paper" : "transparent",
              border: `${i === chosen ? 2 : 1}px solid ${i === chosen ? inks.chosen : inks.line}`,
              display: "flex",
              flexDirection: "column",
            }}
          >
            <Box sx={{ height: 66, width: "100%" }} aria-hidden>
              {drawn?.steps[i] && <Drawing drawing={drawn.steps[i]} label="" small />}
            </Box>
            <Box component="span" sx={{ overflow: "hidden", maxHeight: 28 }}>
              <b>{i + 1}</b> {units.say(s.title)}
            </Box>
          </Box>
        </li>
      ))}
    </Box>
  );
}
