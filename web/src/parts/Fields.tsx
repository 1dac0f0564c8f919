/** Entry fields that speak the maker's units and send a value when it is left or Enter is pressed. */
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useUnits } from "./units";

/** For lists whose empty choice means something: show its words, not a blank. */
export const EMPTY_SELECT = { select: { displayEmpty: true }, inputLabel: { shrink: true } };

interface Props {
  label: string;
  value: number | null;
  onCommit: (value: number | null) => void;
  suffix?: string;
  optional?: boolean;
  disabled?: boolean;
  helper?: string;
  width?: number | string;
  /** Bounds, in what is shown. */
  least?: number | null;
  most?: number | null;
}

export function NumberField({ label, value, onCommit, suffix, optional = false, disabled, helper, width = 150, least, most }: Props) {
  const shown = value === null ? "" : String(value);
  const [draft, setDraft] = useState<string | null>(null);
  const text = draft ?? shown;
  const parsed = Number(text.replace(",", "."));
  const empty = text.trim() === "";
  const wrong = empty ? !optional : !Number.isFinite(parsed);
  const beyond = !empty && draft !== null && ((least != null && parsed < least) || (most != null && parsed > most));
  const bad = wrong || beyond;
  const commit = () => {
    if (draft === null || bad) return;
    if (draft !== shown) onCommit(draft.trim() === "" ? null : parsed);
    setDraft(null);
  };
  return (
    <TextField
      label={suffix ? `${label} (${suffix})` : label}
      value={text}
      error={bad}
      helperText={wrong ? "A number is needed here." : beyond ? `${least ?? "…"} to ${most ?? "…"} is possible.` : helper}
      disabled={disabled}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => {
        if (e.key === "Enter") commit();
        if (e.key === "Escape") setDraft(null);
      }}
      slotProps={{ htmlInput: { inputMode: "decimal" } }}
      sx={{ width }}
    />
  );
}

/** A length: shown in the maker's unit, handed over in millimetres. */
export function LengthField({ value, onCommit, least, most, ...rest }: Omit<Props, "suffix">) {
  const units = useUnits();
  const shown = (mm: number | null | undefined) => (mm == null ? null : Number(units.field(mm)));
  return (
    <NumberField
      {...rest}
      suffix={units.unit}
      least={shown(least)}
      most={shown(most)}
      value={shown(value)}
      onCommit={(v) => onCommit(v === null ? null : units.fromField(v))}
    />
  );
}
