/** Choosing who wears it, or leaving it to what is usual. */
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useWearers } from "../api/client";
import { EMPTY_SELECT } from "./Fields";

interface PickerProps {
  label: string;
  value: number | null;
  empty: string;
  onChoose: (id: number | null) => void;
}

export function WearerPicker({ label, value, empty, onChoose }: PickerProps) {
  const wearers = useWearers();
  return (
    <TextField
      select
      slotProps={EMPTY_SELECT}
      label={label}
      value={value ?? ""}
      onChange={(e) => onChoose(e.target.value === "" ? null : Number(e.target.value))}
    >
      <MenuItem value="">{empty}</MenuItem>
      {wearers.data?.map((w) => (
        <MenuItem key={w.id} value={w.id}>
          {w.name}
        </MenuItem>
      ))}
    </TextField>
  );
}
