/** Every region by name: what is on it, how it is smoothed, how long that takes; and the maker's own changes to them. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Chip from "@mui/material/Chip";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { EMPTY_SELECT, LengthField } from "../../parts/Fields";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";
import { at1, AXES, ownId, type Axis } from "./places";

interface Props {
  piece: Detail;
  data: Schemas["FinishData"];
  chosen: string | null;
  onChoose: (id: string | null) => void;
  change: (change: Change) => void;
}

export function RegionList({ piece, data, chosen, onChoose, change }: Props) {
  const units = useUnits();
  const trade = useTrade().data?.finish;
  const r = piece.recipe;
  const one = data.regions.find((x) => x.region.id === chosen);
  if (!trade) return null;
  return (
    <Box role="group" aria-label="Regions">
      <Typography variant="h3" component="h2">
        Regions
      </Typography>
      <PlainTable label="Regions and their surface" numbersFrom={2} small>
        <thead>
          <tr>
            <th>Region</th>
            <th>Area</th>
            <th>Steps</th>
            <th>Hands</th>
          </tr>
        </thead>
        <tbody>
          {data.regions.map(({ region, hands_h, school, asked }) => (
            <tr key={region.id}>
              <td>
                <Button
                  size="small"
                  sx={{ p: 0, minHeight: 28, textAlign: "left", justifyContent: "flex-start" }}
                  aria-pressed={region.id === chosen}
                  onClick={() => onChoose(region.id === chosen ? null : region.id)}
                >
                  {region.name}
                </Button>
                <Typography variant="body2" color="text.secondary">
                  {region.kind === "inside" && school === "leave" ? "left as printed" : trade.schools[school]}
                  {school !== asked && `; not: ${trade.schools[asked]}`}
                </Typography>
              </td>
              <td>{units.cm2(region.area_mm2)}</td>
              <td>{units.length(region.step_mm.p95, 2)}</td>
              <td>{units.hours(hands_h)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {one && <One piece={piece} record={one} change={change} onChoose={onChoose} />}
      {r.merged.length + r.splits.length + r.faults.length > 0 && (
        <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap", mt: 1 }} role="group" aria-label="Changed by you">
          {r.splits.map((s, i) => (
            <Chip key={`s${i}`} label={`Parted ${AXES[s.axis]}`} onDelete={() => change({ splits: r.splits.filter((_, k) => k !== i) })} />
          ))}
          {r.merged.map((_, i) => (
            <Chip key={`m${i}`} label={`Merged ${i + 1}`} onDelete={() => change({ merged: r.merged.filter((__, k) => k !== i) })} />
          ))}
          {r.faults.map((f, i) => (
            <Chip
              key={`f${i}`}
              label={`${trade.faults[f.kind]} ${i + 1}`}
              onDelete={() => change({ faults: r.faults.filter((_, k) => k !== i) })}
            />
          ))}
        </Stack>
      )}
    </Box>
  );
}

function One({
  piece,
  record,
  change,
  onChoose,
}: {
  piece: Detail;
  record: Schemas["RegionRecord"];
  change: (change: Change) => void;
  onChoose: (id: string | null) => void;
}) {
  const units = useUnits();
  const trade = useTrade().data!.finish;
  const r = piece.recipe;
  const { region, school } = record;
  const own = r.own_regions.find((m) => m.id === region.id);
  const scale = piece.fit?.scale ?? [1, 1, 1];
  const decided = own ? own.school : (r.schools.find((s) => s.region === region.id)?.school ?? "");
  const keep = (next: Partial<Schemas["OwnRegion"]>) =>
    change({ own_regions: r.own_regions.map((m) => (m.id === region.id ? { ...m, ...next } : m)) });
  const decide = (key: string) =>
    own
      ? keep({ school: key })
      : change({ schools: [...r.schools.filter((s) => s.region !== region.id), ...(key ? [{ region: region.id, school: key }] : [])] });
  const begin = (again: boolean) => {
    const id = ownId(r.own_regions);
    onChoose(id);
    change({
      own_regions: [
        ...r.own_regions,
        {
          ...trade.new_region,
          id,
          name: `${again ? "Again" : "Region"} ${r.own_regions.length + 1}`,
          places_mm: [at1(region.middle_mm, scale)],
          again,
        },
      ],
    });
  };
  return (
    <Box sx={{ mt: 1 }} role="group" aria-label={`Region ${region.name}`}>
      <Typography variant="body2">
        {region.name}: {units.percent(region.by_hand, 0)} of it no sander reaches; {units.volume(region.stair_mm3)} of steps
        {region.scar_mm2 > 0 && `, ${units.cm2(region.scar_mm2)} where supports touched`}
        {region.seam_mm > 0 && `, ${units.length(region.seam_mm)} of seam`}.
      </Typography>
      <Stack spacing={1.25} sx={{ mt: 1 }}>
        <TextField select label="Way here" value={decided} onChange={(e) => decide(e.target.value)} slotProps={EMPTY_SELECT}>
          <MenuItem value="">as the piece: {trade.schools[school]}</MenuItem>
          {Object.entries(trade.schools).map(([key, name]) => (
            <MenuItem key={key} value={key}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        {own ? (
          <>
            <TextField
              label="Name"
              defaultValue={own.name}
              key={own.name}
              onBlur={(e) => e.target.value && e.target.value !== own.name && keep({ name: e.target.value })}
            />
            <Stack direction="row" spacing={1}>
              <TextField
                select
                label="Kind"
                value={own.kind ?? ""}
                onChange={(e) => keep({ kind: (e.target.value || null) as Schemas["OwnRegion"]["kind"] })}
                slotProps={EMPTY_SELECT}
                sx={{ flex: 1 }}
              >
                <MenuItem value="">what it mostly is</MenuItem>
                {Object.entries(trade.kinds).map(([key, name]) => (
                  <MenuItem key={key} value={key}>
                    {name}
                  </MenuItem>
                ))}
              </TextField>
              {own.grow === "distance" && (
                <LengthField
                  label="Reach"
                  width={120}
                  value={own.reach_mm}
                  least={1}
                  most={500}
                  onCommit={(v) => v && keep({ reach_mm: v })}
                />
              )}
            </Stack>
            <Stack direction="row" useFlexGap spacing={1} sx={{ alignItems: "center", flexWrap: "wrap" }}>
              <FormControlLabel
                control={<Checkbox size="small" checked={own.mirrored} onChange={(_, on) => keep({ mirrored: on })} />}
                label="On the other side too"
              />
              {piece.side !== "" && (
                <FormControlLabel
                  control={<Checkbox size="small" checked={own.pair} onChange={(_, on) => keep({ pair: on })} />}
                  label="On the other piece of the pair"
                />
              )}
              <Button
                size="small"
                variant="outlined"
                onClick={() => {
                  onChoose(null);
                  change({ own_regions: r.own_regions.filter((m) => m !== own) });
                }}
              >
                Delete
              </Button>
            </Stack>
          </>
        ) : (
          <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: "wrap" }}>
            <Button size="small" variant="outlined" onClick={() => begin(false)}>
              Own region at its middle
            </Button>
            <Button size="small" variant="outlined" onClick={() => begin(true)}>
              Again at its middle
            </Button>
            {(Object.keys(AXES) as Axis[]).map((axis) => (
              <Button
                key={axis}
                size="small"
                variant="outlined"
                onClick={() => change({ splits: [...r.splits, { at_mm: at1(region.middle_mm, scale), axis }] })}
              >
                Part {AXES[axis]}
              </Button>
            ))}
          </Stack>
        )}
      </Stack>
    </Box>
  );
}
