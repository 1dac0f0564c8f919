/** The measurement sheet: only what is needed first, typed as one measures, down by Enter, checked while one types. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import InputBase from "@mui/material/InputBase";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, need, useShop, type Said, type Schemas } from "../../api/client";
import { EMPTY_SELECT, NumberField } from "../../parts/Fields";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import { SERIF } from "../../theme/theme";
import { Caliper } from "./Caliper";
import { MeasureFigure } from "./MeasureFigure";
import { Readings } from "./Readings";

interface Props {
  wearer: Schemas["Wearer"];
  /** The build whose pieces tell what is needed; all builds when not given. */
  build?: number;
}

type SheetRow = Schemas["SheetRow"];

const SIDES = ["left", "right"] as const;
const NEEDED = "needed";

export function useSheet(wearer: number, build?: number) {
  return useQuery({
    queryKey: ["sheet", wearer, build ?? 0],
    queryFn: () =>
      need(api.GET("/api/wearers/{id}/sheet/", { params: { path: { id: wearer }, query: (build ? { build } : {}) as never } })),
    placeholderData: (before) => before,
  });
}

export function useDrawings() {
  return useQuery({ queryKey: ["figures"], queryFn: () => need(api.GET("/api/wearers/figures/")), staleTime: Infinity });
}

export function Sheet({ wearer, build }: Props) {
  const units = useUnits();
  const shop = useShop();
  const client = useQueryClient();
  const sheet = useSheet(wearer.id, build);
  const drawings = useDrawings();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [focused, setFocused] = useState("");
  const [shown, setShown] = useState<string>(NEEDED);
  const [by, setBy] = useState("");
  const known = useMemo(
    () => Object.fromEntries(Object.entries(wearer.measurements ?? {}).map(([k, v]) => [k, units.field(v)])),
    [wearer.measurements, units],
  );
  const text = { ...known, ...typed };
  const system = shop.data?.units ?? "mm";
  const check = useQuery({
    queryKey: ["check", system, text],
    queryFn: () => need(api.POST("/api/wearers/check/", { body: { typed: text, units: system } })),
    placeholderData: (before) => before,
  });
  const again = () => {
    for (const key of ["wearers", "wall", "piece", "sheet", "readings"]) void client.invalidateQueries({ queryKey: [key] });
  };
  const save = useMutation({
    mutationFn: (body: Schemas["PatchedWearerRequest"]) =>
      need(api.PATCH("/api/wearers/{id}/", { params: { path: { id: wearer.id } }, body: { ...body, version: wearer.version } })),
    onSuccess: () => setTyped({}),
    onSettled: again,
  });
  const rows = sheet.data?.rows ?? [];
  const groups = [...new Set(rows.map((r) => r.group))];
  const anyNeeded = rows.some((r) => r.needed_by.length);
  const visible = rows.filter((r) => (shown === NEEDED && anyNeeded ? r.needed_by.length > 0 : shown === NEEDED || r.group === shown));
  const row = rows.find((r) => r.keys.includes(focused)) ?? visible[0];
  const problems = check.data?.problems ?? {};
  const doubts = check.data?.doubts ?? {};
  const dirty = Object.keys(typed).some((k) => typed[k] !== (known[k] ?? ""));
  const keep = async () => {
    const now = await need(api.POST("/api/wearers/check/", { body: { typed: text, units: system } }));
    if (Object.keys(now.problems).length) return;
    const untouched = Object.entries(wearer.measurements ?? {}).filter(([k]) => typed[k] === undefined);
    const entered = Object.entries(now.values_mm).filter(([k]) => typed[k] !== undefined);
    save.mutate({ measurements: Object.fromEntries([...untouched, ...entered]), by });
  };
  const onward = (key: string) => {
    const order = visible.flatMap((r) => (r.sided ? r.keys.slice(1) : [r.keys[0]]));
    const next = order[order.indexOf(key) + 1];
    if (next) document.getElementById(next)?.focus();
    else document.getElementById("keep-measurements")?.focus();
  };
  return (
    <Box sx={{ display: "flex", flex: 1, minHeight: 0, flexWrap: { xs: "wrap", lg: "nowrap" }, overflow: { lg: "hidden" } }}>
      <Box
        component="form"
        onSubmit={(e) => (e.preventDefault(), void keep())}
        sx={{ flex: "1 1 440px", minWidth: 0, p: 2, overflowY: "auto" }}
      >
        <Stack direction="row" spacing={1.5} sx={{ alignItems: "baseline", mb: 1, flexWrap: "wrap" }} useFlexGap>
          <Typography variant="h2" component="p">
            {wearer.name}
          </Typography>
          {sheet.data && sheet.data.needed > 0 && (
            <Typography color="text.secondary">
              Needed for {build ? "this build’s" : "your"} pieces: {sheet.data.needed_taken} of {sheet.data.needed} taken
            </Typography>
          )}
        </Stack>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={shown}
          onChange={(_, v: string | null) => v && setShown(v)}
          aria-label="Part of the sheet"
          sx={{ mb: 1, flexWrap: "wrap" }}
        >
          <ToggleButton value={NEEDED}>{anyNeeded ? "Needed" : "All"}</ToggleButton>
          {groups.map((g) => (
            <ToggleButton key={g} value={g}>
              {g}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Box role="table" aria-label="Measurements">
          {visible.map((r) => (
            <Line
              key={r.key}
              row={r}
              text={text}
              here={r === row}
              problems={problems}
              doubts={doubts}
              echo={typed[focused] !== undefined && r.keys.includes(focused) ? check.data?.values_mm[focused] : undefined}
              onFocus={setFocused}
              onType={(key, value) => setTyped({ ...typed, [key]: value })}
              onEnter={onward}
            />
          ))}
        </Box>
        <Stack direction="row" spacing={1} sx={{ my: 1.5, alignItems: "center", flexWrap: "wrap" }} useFlexGap>
          <Button
            id="keep-measurements"
            type="submit"
            variant="contained"
            disabled={save.isPending || Object.keys(problems).length > 0 || !dirty}
          >
            Save measurements
          </Button>
          {dirty && <Button onClick={() => setTyped({})}>Discard changes</Button>}
          <TextField label="Taken by" value={by} onChange={(e) => setBy(e.target.value)} sx={{ width: 150 }} />
          <TextField
            select
            slotProps={EMPTY_SELECT}
            label="Sex, for guesses only"
            value={wearer.sex ?? ""}
            onChange={(e) => save.mutate({ sex: (e.target.value || null) as Schemas["Wearer"]["sex"] })}
            sx={{ width: 160 }}
          >
            <MenuItem value="">not said</MenuItem>
            <MenuItem value="female">female</MenuItem>
            <MenuItem value="male">male</MenuItem>
          </TextField>
          <NumberField
            label="Mass"
            suffix="kg"
            optional
            value={wearer.mass_kg ?? null}
            onCommit={(v) => save.mutate({ mass_kg: v })}
            width={110}
          />
          <NumberField
            label="Age"
            suffix="years"
            optional
            value={wearer.age_years ?? null}
            onCommit={(v) => save.mutate({ age_years: v })}
            width={110}
          />
        </Stack>
        <ErrorNote error={save.error ?? check.error ?? sheet.error} />
        {!!sheet.data?.changed.length && (
          <Box role="region" aria-label="What the last measurements changed">
            <Typography variant="h3" component="h2">
              What the last measurements changed
            </Typography>
            {sheet.data.changed.map((c) => (
              <Typography key={c.piece} variant="body2">
                <Link to={`/build/${c.build}/piece/${c.piece}/fit`}>{c.name}</Link>: {units.hours(c.hours[0])} →{" "}
                <b>{units.hours(c.hours[1])}</b>, {units.grams(c.filament_g[0])} → <b>{units.grams(c.filament_g[1])}</b>
                {c.parts[0] !== c.parts[1] && `, ${c.parts[0]} → ${c.parts[1]} parts`}
              </Typography>
            ))}
          </Box>
        )}
      </Box>
      <Box sx={{ flex: "0 1 380px", p: 2, overflowY: "auto", minWidth: 300 }}>
        {row && (
          <>
            <Typography variant="h3" component="p">
              {row.name}, by {row.tool}
            </Typography>
            <Typography>{row.how}</Typography>
            <Typography color="text.secondary" variant="body2" sx={{ mb: 1 }}>
              Usual mistake: {lower(row.mistake)}
            </Typography>
          </>
        )}
        <MeasureFigure drawings={drawings.data} row={row} height={290} />
        {row && "needed_by" in row && row.needed_by.length > 0 && (
          <Typography variant="body2" sx={{ mt: 0.5 }}>
            Needed for {row.needed_by.join(", ")}.
          </Typography>
        )}
        {row?.guess && (
          <Typography variant="body2" color="text.secondary">
            Guessed {units.plainLength(row.guess.value)} ± {units.length(row.guess.sd)}
            {row.guess.based_on.length > 0 && ` from ${row.guess.based_on.map((k) => nameOf(k, rows)).join(", ")}`}; {row.guess.source}.
          </Typography>
        )}
        <Caliper
          wearer={wearer.id}
          field={focused}
          onReading={(mm) => {
            setTyped({ ...typed, [focused]: units.field(mm) });
            onward(focused);
          }}
        />
        {row && <Readings wearer={wearer.id} row={row} side={focused} system={system} onDone={again} />}
      </Box>
    </Box>
  );
}

const lower = (text: string) => text.charAt(0).toLowerCase() + text.slice(1);

const nameOf = (key: string, rows: SheetRow[]) =>
  rows.find((r) => r.keys.includes(key))?.name.toLowerCase() ?? (key === "mass_kg" ? "mass" : key);

interface LineProps {
  row: SheetRow;
  text: Record<string, string>;
  here: boolean;
  problems: Record<string, Said>;
  doubts: Record<string, Said>;
  echo?: number;
  onFocus: (key: string) => void;
  onType: (key: string, value: string) => void;
  onEnter: (key: string) => void;
}

function Line({ row, text, here, problems, doubts, echo, onFocus, onType, onEnter }: LineProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const keys = row.sided ? row.keys.slice(1) : [row.keys[0]];
  const both = row.keys[0];
  const value = (key: string) => text[key] ?? (row.sided ? text[both] : undefined) ?? "";
  const wrong = row.keys.find((k) => problems[k]);
  const asked = row.keys.find((k) => doubts[k]);
  const spread = Object.entries(row.spreads).find(([, v]) => v > 0);
  return (
    <Box
      role="row"
      sx={{
        display: "grid",
        gridTemplateColumns: "minmax(130px, 1fr) 236px minmax(84px, 0.6fr)",
        columnGap: 1.5,
        alignItems: "center",
        borderBottom: `1px solid ${inks.line}`,
        bgcolor: here ? "background.paper" : undefined,
        px: 0.75,
        py: 0.25,
      }}
    >
      <Box role="rowheader" sx={{ fontFamily: SERIF, fontSize: 14.5 }}>
        {row.name}
      </Box>
      <Box role="cell" sx={{ display: "flex", gap: 0.5, alignItems: "center" }}>
        {keys.map((key, i) => (
          <InputBase
            key={key}
            id={key}
            value={value(key)}
            placeholder={
              `${row.sided ? `${SIDES[i]} ` : ""}${row.guess ? `~ ${units.field(Math.round(row.guess.value))}` : ""}` || "not taken"
            }
            error={!!problems[key]}
            onFocus={() => onFocus(key)}
            onChange={(e) => onType(key, e.target.value)}
            onKeyDown={(e) => {
              if (e.key !== "Enter") return;
              e.preventDefault();
              onEnter(key);
            }}
            slotProps={{ input: { "aria-label": `${row.name}${row.sided ? `, ${SIDES[i]}` : ""} (${units.unit})` } }}
            sx={{
              width: row.sided ? 92 : 188,
              minHeight: 36,
              px: 1,
              border: `1px solid ${problems[key] ? inks.stops : doubts[key] ? inks.tight : inks.line}`,
              borderRadius: 0.5,
              bgcolor: "background.default",
              "&.Mui-focused": { outline: `2.5px solid ${inks.chosen}` },
            }}
          />
        ))}
        {row.sided && (
          <Button
            size="small"
            aria-label={`${row.name}: copy left to right`}
            onClick={() => onType(keys[1], value(keys[0]))}
            sx={{ minWidth: 0, px: 0.5, whiteSpace: "nowrap" }}
          >
            L = R
          </Button>
        )}
      </Box>
      <Typography role="cell" variant="caption" color="text.secondary">
        {spread
          ? `mean of ${row.counts[spread[0]]}, spread ${units.length(spread[1], 1)}`
          : row.needed_by.length > 0 && !keys.some(value)
            ? "needed"
            : ""}
      </Typography>
      {(wrong || asked || echo !== undefined) && (
        <Typography
          variant="body2"
          sx={{ gridColumn: "1 / -1", color: wrong ? inks.stops : asked ? inks.tight : inks.faint, pb: 0.5 }}
          id={`${row.key}-note`}
        >
          {wrong
            ? units.say(problems[wrong])
            : `${echo === undefined ? "" : `That is ${units.length(echo, 1)}. `}${asked ? units.say(doubts[asked]) : ""}`}
        </Typography>
      )}
    </Box>
  );
}
