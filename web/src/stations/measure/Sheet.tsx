/** The measurement sheet: typed as one measures, down by Enter, checked while one types. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { EMPTY_SELECT } from "../../parts/Fields";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, useShop, type Schemas } from "../../api/client";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";
import { HeadFigure } from "./HeadFigure";

interface Props {
  wearer: Schemas["Wearer"];
  /** Keys the piece at hand needs; marked on the sheet. */
  needed?: string[];
}

export function Sheet({ wearer, needed = [] }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const shop = useShop();
  const client = useQueryClient();
  const table = useQuery({
    queryKey: ["measurements"],
    queryFn: () => need(api.GET("/api/wearers/table/")),
    staleTime: Infinity,
  });
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [focused, setFocused] = useState<string>("stature_mm");
  const known = Object.fromEntries(Object.entries(wearer.measurements ?? {}).map(([k, v]) => [k, units.field(v)]));
  const text = { ...known, ...typed };
  const system = shop.data?.units ?? "mm";
  const check = useQuery({
    queryKey: ["check", system, text],
    queryFn: () => need(api.POST("/api/wearers/check/", { body: { typed: text, units: system } })),
    placeholderData: (before) => before,
  });
  const save = useMutation({
    mutationFn: (body: Schemas["PatchedWearerRequest"]) =>
      need(
        api.PATCH("/api/wearers/{id}/", {
          params: { path: { id: wearer.id } },
          body: { ...body, version: wearer.version },
        }),
      ),
    onSuccess: () => setTyped({}),
    onSettled: () => {
      for (const key of ["wearers", "wall", "piece"]) void client.invalidateQueries({ queryKey: [key] });
    },
  });
  const prose = (told: Record<string, string> = {}) => Object.fromEntries(Object.entries(told).map(([k, v]) => [k, units.prose(v)]));
  const problems = prose(check.data?.problems);
  const doubts = prose(check.data?.doubts);
  const dirty = Object.keys(typed).some((k) => typed[k] !== (known[k] ?? ""));
  const keep = async () => {
    const now = await need(api.POST("/api/wearers/check/", { body: { typed: text, units: system } }));
    if (!Object.keys(now.problems).length) save.mutate({ measurements: { ...unlisted(wearer, table.data), ...now.values_mm } });
  };
  return (
    <Box sx={{ p: 2.5, overflowY: "auto", display: "flex", gap: 4, flexWrap: "wrap" }}>
      <Box sx={{ flex: "1 1 380px", maxWidth: 520 }}>
        <Typography variant="h2" component="p" sx={{ mb: 1.5 }}>
          {wearer.name}
        </Typography>
        <Stack spacing={1.75} component="form" onSubmit={(e) => (e.preventDefault(), void keep())}>
          {table.data?.map((row, i) => {
            const wanted = needed.includes(row.key);
            const parsed = check.data?.values_mm[row.key];
            const retyped = typed[row.key] !== undefined && parsed !== undefined ? `That is ${units.length(parsed, 1)}. ` : "";
            return (
              <TextField
                key={row.key}
                id={row.key}
                label={`${row.name} (${units.unit})${wanted ? ", needed for this piece" : ""}`}
                value={text[row.key] ?? ""}
                placeholder="not taken"
                error={!!problems[row.key]}
                helperText={
                  problems[row.key] ??
                  (doubts[row.key] ? `${retyped}${doubts[row.key]}` : focused === row.key ? `${retyped}${row.how}` : retyped)
                }
                onFocus={() => setFocused(row.key)}
                onChange={(e) => setTyped({ ...typed, [row.key]: e.target.value })}
                onKeyDown={(e) => {
                  if (e.key !== "Enter") return;
                  e.preventDefault();
                  const next = table.data?.[i + 1];
                  if (next) document.getElementById(next.key)?.focus();
                  else void keep();
                }}
                slotProps={{
                  inputLabel: { shrink: true },
                  formHelperText: {
                    sx: { color: problems[row.key] ? inks.stops : doubts[row.key] ? inks.tight : undefined, mx: 0 },
                  },
                }}
              />
            );
          })}
          <Stack direction="row" spacing={1.5}>
            <TextField
              select
              slotProps={EMPTY_SELECT}
              label="Sex, for guesses only"
              value={wearer.sex ?? ""}
              onChange={(e) => save.mutate({ sex: (e.target.value || null) as Schemas["Wearer"]["sex"] })}
              sx={{ flex: 1 }}
            >
              <MenuItem value="">not said</MenuItem>
              <MenuItem value="female">female</MenuItem>
              <MenuItem value="male">male</MenuItem>
            </TextField>
          </Stack>
          <Stack direction="row" spacing={1}>
            <Button type="submit" variant="contained" disabled={!dirty || save.isPending || Object.keys(problems).length > 0}>
              Keep the measurements
            </Button>
            {dirty && <Button onClick={() => setTyped({})}>Leave them as they were</Button>}
          </Stack>
          <ErrorNote error={save.error ?? check.error} />
        </Stack>
      </Box>
      <HeadFigure focused={focused} />
    </Box>
  );
}

/** Measurements the sheet has no line for stay as they are. */
function unlisted(wearer: Schemas["Wearer"], table: Schemas["MeasurementRow"][] | undefined): Record<string, number> {
  const listed = new Set(table?.map((r) => r.key));
  return Object.fromEntries(Object.entries(wearer.measurements ?? {}).filter(([k]) => !listed.has(k)));
}
