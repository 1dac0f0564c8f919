/** The surface and how it becomes smooth: regions on the piece, what is done to them and when, other ways beside it, and what other decisions would save. */
import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Fragment, useState } from "react";
import { useTrade, type Change } from "../../api/client";
import { moved } from "../../parts/moved";
import { useUnits } from "../../parts/units";
import { Views } from "../../parts/Views";
import type { StationProps } from "../types";
import { Offers } from "./Offers";
import { Products } from "./Products";
import { RegionList } from "./RegionList";
import { RegionStage } from "./RegionStage";
import { StepList } from "./StepList";
import { Ways } from "./Ways";

const VIEWS = ["Regions", "Steps", "Ways beside each other"] as const;

export default function FinishStation({ piece, kept, change, children }: StationProps) {
  const units = useUnits();
  const trade = useTrade().data?.finish;
  const [view, setView] = useState<string>(VIEWS[0]);
  const [chosen, setChosen] = useState<string | null>(null);
  const { finish, finish_data: data, recipe: r } = piece;
  const ready = data && data.regions.length > 0;
  const stage = ready ? (
    <Box sx={{ display: "flex", flexDirection: "column", height: "100%", minHeight: 0 }}>
      <Views views={VIEWS} value={view} onChange={setView} />
      {view === VIEWS[0] && <RegionStage piece={piece} data={data} chosen={chosen} onChoose={setChosen} change={change} />}
      {view === VIEWS[1] && <StepList piece={piece} data={data} onRegion={setChosen} />}
      {view === VIEWS[2] && <Ways piece={piece} data={data} change={change} />}
    </Box>
  ) : (
    <Typography color="text.secondary" sx={{ p: 4 }}>
      {finish?.impossible.words
        ? "There is no plan yet: see what is said beside."
        : "The surface appears here once the parts are laid for printing: how it lies decides how deep its steps are."}
    </Typography>
  );
  const choice = (of: "target" | "school" | "primer" | "pace" | "jumps", label: string, from: Record<string, string>, width = "100%") => (
    <TextField select label={label} value={trade ? r[of] : ""} onChange={(e) => change({ [of]: e.target.value } as Change)} sx={{ width }}>
      {Object.entries(from).map(([key, name]) => (
        <MenuItem key={key} value={key}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
  const decisions = trade && (
    <>
      {finish && finish.steps > 0 && (
        <Typography>
          {moved(kept?.finish?.hands_h, finish.hands_h, units.hours)} of hands over{" "}
          {moved(kept?.finish?.days_least, finish.days_least, (d) => units.count(d, "day"))} at the least, {units.hours(finish.wait_h)} of
          drying, on {units.cm2(finish.outside_mm2)} of outside.
        </Typography>
      )}
      {data?.by_kind && (
        <Typography variant="body2" color="text.secondary">
          {Object.entries(data.by_kind).map(([kind, h], k, all) => (
            <Fragment key={kind}>
              <Box component="span" sx={{ whiteSpace: "nowrap" }}>
                {trade.hands[kind]} {units.hours(h)}
                {k < all.length - 1 && ","}
              </Box>{" "}
            </Fragment>
          ))}
        </Typography>
      )}
      <Stack direction="row" spacing={1.5}>
        {choice("target", "Surface", trade.targets, "50%")}
        {choice("pace", "Pace", trade.paces, "50%")}
      </Stack>
      {choice("school", "Way", trade.schools)}
      <Stack direction="row" spacing={1.5}>
        {choice("primer", "Primer", trade.primers, "60%")}
        {choice("jumps", "Grit jumps", trade.jumps, "40%")}
      </Stack>
      <FormControlLabel
        control={<Switch size="small" checked={r.power} onChange={(_, on) => change({ power: on })} />}
        label="With a sander where its pad lies flat"
      />
      {ready && <RegionList piece={piece} data={data} chosen={chosen} onChoose={setChosen} change={change} />}
      {ready && <Offers piece={piece} data={data} />}
      {finish && finish.products.length > 0 && <Products piece={piece} change={change} />}
    </>
  );
  return children({ stage, decisions });
}
