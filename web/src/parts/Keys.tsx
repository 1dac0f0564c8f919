/** The list of keys, behind “?”. */
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { useTrade } from "../api/client";

const KEYS: [string, string][] = [
  ["←  →", "the station before, the station after"],
  ["↑  ↓", "the piece above, the piece below"],
  ["W", "to the Wall"],
  ["S", "the other sheet of the Wall, where there is one"],
  ["T", "try changes as drafts, or keep them at once"],
  ["K", "keep the draft that is open"],
  ["X", "drop the draft that is open"],
  ["C", "compare the drafts of a piece side by side"],
  ["Ctrl Z", "undo the last kept change: of the piece, or on the Wall of the build"],
  ["Ctrl Shift Z", "redo it (or Ctrl Y)"],
  ["Enter", "keep what was typed, go down the sheet"],
  ["Esc", "leave a field as it was"],
  ["?", "this list"],
];

/** Whether a key press belongs to a field, a slider or a list and not to the page. */
export function isTyping(event: KeyboardEvent): boolean {
  return event.ctrlKey || event.metaKey || event.altKey || inField(event);
}

/** Whether it happens in a field, a slider or a list. */
export function inField(event: KeyboardEvent): boolean {
  const at = event.target as HTMLElement | null;
  if (at instanceof HTMLInputElement && ["checkbox", "button"].includes(at.type)) return false;
  return !!at?.closest("input, textarea, select, [role=slider], [role=listbox], [role=combobox], [role=dialog], [role=radiogroup]");
}

export function Keys() {
  const [open, setOpen] = useState(false);
  const trade = useTrade();
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (e.key === "?" && !isTyping(e)) setOpen(true);
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, []);
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)} aria-label="Keys">
        ?
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)}>
        <DialogTitle>Keys</DialogTitle>
        <DialogContent>
          <table>
            <tbody>
              {KEYS.map(([key, what]) => (
                <tr key={key}>
                  <td>
                    <Typography sx={{ fontWeight: 700, pr: 3 }}>{key}</Typography>
                  </td>
                  <td>{what}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <Typography variant="body2" color="text.secondary" sx={{ mt: 2 }}>
            {`Odd Bastion ${trade.data?.version ?? ""}`}
          </Typography>
        </DialogContent>
      </Dialog>
    </>
  );
}
