/** The files a piece is made of: one, or a set; where each lies, what the exchange of one would do, where they meet. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";
import { addFile, useWall, type Change, type Detail, type Schemas } from "../../api/client";
import { useRemedy } from "../../api/deciding";
import { EMPTY_SELECT, LengthField, NumberField } from "../../parts/Fields";
import { ErrorNote } from "../../parts/Notes";
import { useUnits } from "../../parts/units";

export type SetFile = Schemas["SetFile"];

interface Props {
  piece: Detail;
  change: (change: Change) => void;
  chosen: number | null;
  onChoose: (file: number | null) => void;
  /** Called with the draft in which a file is exchanged. */
  onDraft: (draft: number) => void;
}

export function Files({ piece, change, chosen, onChoose, onDraft }: Props) {
  const units = useUnits();
  const wall = useWall(piece.build);
  const { inks } = useTheme().palette;
  // What was just decided shows at once, before the site has answered.
  const files = piece.recipe.files.length ? piece.recipe.files : piece.made_of;
  const records = piece.pieces?.files ?? [];
  const adding = useRef<HTMLInputElement>(null);
  const exchanging = useRef<HTMLInputElement>(null);
  const remedy = useRemedy(piece.id, onDraft);
  const add = useMutation({
    mutationFn: (what: { file?: File; piece?: number }) => addFile(piece.id, what),
    onSuccess: (made) => change({ files: [...files, ...made] }),
  });
  const exchange = useMutation({
    mutationFn: async ({ file, index }: { file: File; index: number }) => {
      const [made] = await addFile(piece.id, { file });
      const next = files.map((f, i) => (i === index ? { ...f, sha256: made.sha256, name: made.name } : f));
      await remedy.mutateAsync({ label: { words: `Exchange ${files[index].name} for ${made.name}`, values: [] }, change: { files: next } });
    },
  });
  const move = (index: number, part: Partial<SetFile>) => change({ files: files.map((f, i) => (i === index ? { ...f, ...part } : f)) });
  const others = wall.data?.rows.filter((r) => r.id !== piece.id) ?? [];
  const one = chosen === null ? undefined : files[chosen];
  const isSet = files.length > 1;
  return (
    <Box>
      <Typography variant="h3" component="h2" gutterBottom>
        {isSet ? `A set of ${files.length} files` : "File"}
      </Typography>
      <Box component="ul" aria-label="Files of this piece" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {files.map((f, k) => (
          <Box
            component="li"
            key={`${f.sha256}${k}`}
            sx={{ display: "flex", alignItems: "center", gap: 1, borderBottom: `1px solid ${inks.line}`, minHeight: 34 }}
          >
            {isSet && (
              <Box
                aria-hidden
                sx={{
                  width: 12,
                  height: 12,
                  bgcolor: k === chosen ? inks.chosen : inks.parts[k % inks.parts.length],
                  border: `1px solid ${inks.ink}`,
                }}
              />
            )}
            <Button
              size="small"
              sx={{ flex: 1, justifyContent: "flex-start", color: "text.primary", minWidth: 0, px: 0.5 }}
              onClick={() => onChoose(k === chosen ? null : k)}
              aria-pressed={k === chosen}
            >
              {f.name}
            </Button>
            {records[k] && <Typography variant="body2">{units.size(records[k].size_mm)}</Typography>}
          </Box>
        ))}
      </Box>
      {one && chosen !== null && (
        <Box sx={{ my: 1 }}>
          {isSet && (
            <>
              <Stack direction="row" spacing={1}>
                {["Left", "Back", "Up"].map((label, axis) => (
                  <LengthField
                    key={label}
                    label={label}
                    width={112}
                    value={one.move_mm[axis]}
                    onCommit={(v) => v !== null && move(chosen, { move_mm: one.move_mm.map((m, i) => (i === axis ? v : m)) })}
                  />
                ))}
              </Stack>
              <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
                {["About x", "About y", "About z"].map((label, axis) => (
                  <NumberField
                    key={label}
                    label={label}
                    suffix="°"
                    width={112}
                    value={Number(one.turn_deg[axis].toFixed(3))}
                    onCommit={(v) => v !== null && move(chosen, { turn_deg: one.turn_deg.map((t, i) => (i === axis ? v : t)) })}
                  />
                ))}
              </Stack>
            </>
          )}
          <Stack direction="row" spacing={1} sx={{ mt: 1 }}>
            <Button size="small" variant="outlined" disabled={exchange.isPending} onClick={() => exchanging.current?.click()}>
              Exchange this file
            </Button>
            {isSet && (
              <Button size="small" onClick={() => (onChoose(null), change({ files: files.filter((_, i) => i !== chosen) }))}>
                Leave it out
              </Button>
            )}
          </Stack>
        </Box>
      )}
      <Stack direction="row" spacing={1} sx={{ mt: 1, alignItems: "center" }}>
        <Button size="small" variant="outlined" disabled={add.isPending} onClick={() => adding.current?.click()}>
          Add a file
        </Button>
        {others.length > 0 && (
          <TextField
            select
            size="small"
            slotProps={EMPTY_SELECT}
            label="Take in another piece"
            value=""
            onChange={(e) => add.mutate({ piece: Number(e.target.value) })}
            sx={{ flex: 1 }}
          >
            <MenuItem value="" disabled>
              choose
            </MenuItem>
            {others.map((r) => (
              <MenuItem key={r.id} value={r.id}>
                {r.name}
              </MenuItem>
            ))}
          </TextField>
        )}
      </Stack>
      {(add.isPending || exchange.isPending) && <LinearProgress aria-label="Sending the file" sx={{ mt: 1 }} />}
      <ErrorNote error={add.error ?? exchange.error ?? remedy.error} onClose={() => (add.reset(), exchange.reset(), remedy.reset())} />
      <input
        ref={adding}
        type="file"
        hidden
        aria-label="Further file"
        accept=".stl,.obj,.ply,.3mf"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) add.mutate({ file });
          e.target.value = "";
        }}
      />
      <input
        ref={exchanging}
        type="file"
        hidden
        aria-label="File in its place"
        accept=".stl,.obj,.ply,.3mf"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file && chosen !== null) exchange.mutate({ file, index: chosen });
          e.target.value = "";
        }}
      />
      {isSet && (
        <FormControlLabel
          control={<Switch checked={piece.recipe.worn_apart} onChange={(_, on) => change({ worn_apart: on })} />}
          label="Straps or a hinge hold them: they need not touch"
        />
      )}
      {isSet && <Meetings piece={piece} names={files.map((f) => f.name)} change={change} />}
    </Box>
  );
}

/** Where the files of a set meet at this scale, and which are printed as one. */
export function Meetings({ piece, names, change }: { piece: Detail; names: string[]; change: (change: Change) => void }) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const mates = piece.cut?.mates ?? [];
  if (!mates.length) return null;
  const asOne = piece.recipe.as_one;
  return (
    <Box
      component="table"
      aria-label="Where the files meet"
      sx={{
        borderCollapse: "collapse",
        width: "100%",
        mt: 1,
        fontSize: 14,
        "& td, & th": { textAlign: "left", py: 0.4, pr: 0.5, borderBottom: `1px solid ${inks.line}` },
      }}
    >
      <thead>
        <tr>
          <th>Where they meet</th>
          <th>Face</th>
          <th>Gap</th>
          <th>As one</th>
        </tr>
      </thead>
      <tbody>
        {mates.map((m) => (
          <tr key={m.id}>
            <td>
              {names[m.files[0]]} to {names[m.files[1]]}
            </td>
            <td>
              {m.flat ? "" : "curved, "}
              {units.area(m.area_mm2)}
            </td>
            <td>{m.overlap_mm3 > 1 ? `in each other, ${units.volume(m.overlap_mm3)}` : units.length(Math.max(m.gap_mm, 0), 2)}</td>
            <td>
              <Switch
                size="small"
                disabled={!m.flat}
                checked={asOne.includes(m.id)}
                onChange={(_, on) => change({ as_one: on ? [...asOne, m.id] : asOne.filter((id) => id !== m.id) })}
                slotProps={{ input: { "aria-label": `Print ${names[m.files[0]]} and ${names[m.files[1]]} as one` } }}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </Box>
  );
}
