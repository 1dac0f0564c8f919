/** The piece in its regions: touched to choose one, to make one of one's own, to part or merge, to say where it is done again or went wrong. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMemo, useState } from "react";
import { useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { LengthField } from "../../parts/Fields";
import { useUnits } from "../../parts/units";
import { LazyStage } from "../../stage/LazyStage";
import { at1, AXES, ownId, type Axis, type Three } from "./places";

interface Props {
  piece: Detail;
  data: Schemas["FinishData"];
  chosen: string | null;
  onChoose: (id: string | null) => void;
  change: (change: Change) => void;
}

type Tool = "choose" | "own" | "again" | "split" | "merge" | "fault";
const TOOLS: [Tool, string, string][] = [
  ["choose", "Choose", "Touch a region."],
  ["own", "Own region", "Touch where it is; touch again to add to it."],
  ["again", "Again here", "Touch what a check coat shows: it is filled and primed once more there."],
  ["split", "Part", "Touch where the region is to be parted."],
  ["merge", "Merge", "Touch the region that the chosen one goes into."],
  ["fault", "Fault", "Touch where it went wrong."],
];
/** A depth to be levelled that primer does not fill is warm, twice a usual step is hottest. */
const MOST_MM = 0.25;

/** Two colours of the theme mixed. */
const mixed = (one: string, other: string, share: number) =>
  `#${[1, 3, 5]
    .map((i) =>
      Math.round(parseInt(one.slice(i, i + 2), 16) * (1 - share) + parseInt(other.slice(i, i + 2), 16) * share)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;

export function RegionStage({ piece, data, chosen, onChoose, change }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const trade = useTrade().data?.finish;
  const [tool, setTool] = useState<Tool>("choose");
  const [reach, setReach] = useState(20);
  const [grow, setGrow] = useState<"distance" | "crease">("distance");
  const [axis, setAxis] = useState<Axis>("x");
  const [fault, setFault] = useState("run");
  const [depth, setDepth] = useState(false);
  const primerFills = useTrade().data?.primer_fills_mm ?? 0;
  const r = piece.recipe;
  const scale = piece.fit?.scale ?? [1, 1, 1];
  const kinds = useMemo(() => Object.keys(trade?.kinds ?? {}), [trade]);
  const colours = useMemo(() => {
    const found: Record<string, string> = { glued: inks.night };
    const seen: Record<string, number> = {};
    for (const { region } of data.regions) {
      const k = kinds.indexOf(region.kind);
      seen[region.kind] = (seen[region.kind] ?? 0) + 1;
      // Regions of one kind go from its colour toward paper; the maker's own are mixed with ink.
      found[region.id] = region.own
        ? mixed(inks.regions[k], inks.ink, 0.3)
        : mixed(inks.regions[k], inks.paper, Math.min(0.45 * (seen[region.kind] - 1), 0.8));
    }
    return found;
  }, [data, inks, kinds]);
  const regionAt = (part: string) => data.regions.find((x) => x.region.id === part)?.region;
  const touch = (at: Three, part: string) => {
    const place = at1(at, scale);
    const here = regionAt(part);
    const own = r.own_regions.find((m) => m.id === chosen);
    if (tool === "choose") return onChoose(here ? here.id : null);
    if (tool === "own" || tool === "again") {
      if (own && own.again === (tool === "again"))
        return change({ own_regions: r.own_regions.map((m) => (m === own ? { ...m, places_mm: [...m.places_mm, place] } : m)) });
      const id = ownId(r.own_regions);
      const count = r.own_regions.length + 1;
      onChoose(id);
      return change({
        own_regions: [
          ...r.own_regions,
          {
            ...trade!.new_region,
            id,
            name: tool === "again" ? `Again ${count}` : `Region ${count}`,
            places_mm: [place],
            grow,
            reach_mm: reach,
            again: tool === "again",
          },
        ],
      });
    }
    if (tool === "split") return change({ splits: [...r.splits, { at_mm: place, axis }] });
    if (tool === "fault") return change({ faults: [...r.faults, { kind: fault, at_mm: place, reach_mm: Math.min(reach, 200) }] });
    const from = data.regions.find((x) => x.region.id === chosen)?.region;
    if (from && here && from.id !== here.id)
      change({ merged: [...r.merged, { at_mm: at1(from.middle_mm as Three, scale), into_mm: place }] });
  };
  const words = TOOLS.find(([key]) => key === tool)![2];
  return (
    <Box sx={{ position: "relative", flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Stack
        direction="row"
        useFlexGap
        spacing={0.75}
        sx={{ px: 1.5, py: 0.5, flexWrap: "wrap", alignItems: "center" }}
        role="group"
        aria-label="What touching does"
      >
        {TOOLS.map(([key, name]) => (
          <Button
            key={key}
            size="small"
            variant={tool === key ? "contained" : "outlined"}
            aria-pressed={tool === key}
            disabled={key === "merge" && !chosen}
            onClick={() => setTool(key)}
          >
            {name}
          </Button>
        ))}
        {(tool === "own" || tool === "again") && (
          <TextField
            select
            label="Grows"
            value={grow}
            onChange={(e) => setGrow(e.target.value as "distance" | "crease")}
            sx={{ width: 190 }}
          >
            <MenuItem value="distance">over the surface</MenuItem>
            <MenuItem value="crease">up to creases</MenuItem>
          </TextField>
        )}
        {["own", "again", "fault"].includes(tool) && grow === "distance" && (
          <LengthField label="Reach" width={110} value={reach} least={1} most={500} onCommit={(v) => v && setReach(v)} />
        )}
        {tool === "split" && (
          <TextField select label="Parted" value={axis} onChange={(e) => setAxis(e.target.value as Axis)} sx={{ width: 190 }}>
            {Object.entries(AXES).map(([key, words]) => (
              <MenuItem key={key} value={key}>
                {words}
              </MenuItem>
            ))}
          </TextField>
        )}
        {tool === "fault" && trade && (
          <TextField select label="What" value={fault} onChange={(e) => setFault(e.target.value)} sx={{ width: 200 }}>
            {Object.entries(trade.faults).map(([key, name]) => (
              <MenuItem key={key} value={key}>
                {name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <Typography variant="body2" color="text.secondary" sx={{ flex: 1 }}>
          {words}
        </Typography>
        <FormControlLabel
          control={<Switch size="small" checked={depth} onChange={(_, on) => setDepth(on)} />}
          label="How deep its steps are"
        />
      </Stack>
      <Box sx={{ position: "relative", flex: 1, minHeight: 240 }}>
        <LazyStage
          file={piece.files.regions}
          label={`${piece.name} in ${units.count(data.regions.length, "region")}`}
          chosenPart={chosen}
          colours={colours}
          sanding={depth ? { deepMm: primerFills, mostMm: MOST_MM } : undefined}
          onFace={(_, at, part) => touch(at, part)}
        />
      </Box>
      <Box
        component="ul"
        aria-label="Regions by colour"
        sx={{
          display: "flex",
          flexWrap: "wrap",
          gap: 1.5,
          m: 0,
          px: 1.5,
          py: 0.75,
          listStyle: "none",
          borderTop: `1px solid ${inks.line}`,
        }}
      >
        {data.regions.map(({ region }) => (
          <Box component="li" key={region.id} sx={{ display: "flex", gap: 0.75, alignItems: "center", fontSize: 14 }}>
            <Box
              sx={{
                width: 14,
                height: 14,
                bgcolor: region.id === chosen ? inks.chosen : colours[region.id],
                border: `1px solid ${inks.ink}`,
              }}
            />
            {region.name} {units.cm2(region.area_mm2)}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
