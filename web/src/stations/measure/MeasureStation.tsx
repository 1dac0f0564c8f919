/** Who wears this piece: their sheet, scans and links, opened from the piece's row. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useWearers } from "../../api/client";
import { Views } from "../../parts/Views";
import { useUnits } from "../../parts/units";
import type { StationProps } from "../types";
import { Links } from "./Links";
import { Scans } from "./Scans";
import { Sheet } from "./Sheet";
import { WearerPicker } from "../../parts/WearerPicker";

export default function MeasureStation({ piece, change, children }: StationProps) {
  const units = useUnits();
  const wearers = useWearers();
  const wearer = wearers.data?.find((w) => w.id === piece.wearer?.id);
  const [view, setView] = useState("Sheet");
  const next = piece.fit_data?.answer?.measure_next ?? [];
  const stage = wearer ? (
    <>
      <Views
        views={["Sheet", "Scan", "Link"]}
        value={view}
        onChange={setView}
        note={wearer.waiting ? `${wearer.waiting} sent in, waiting` : ""}
      />
      {view === "Sheet" && <Sheet key={wearer.id} wearer={wearer} build={piece.build} />}
      {view !== "Sheet" && (
        <Box sx={{ flex: 1, minHeight: 0, overflowY: "auto" }}>
          {view === "Scan" ? <Scans wearer={wearer.id} /> : <Links wearer={wearer.id} build={piece.build} />}
        </Box>
      )}
    </>
  ) : (
    <Typography sx={{ p: 3 }}>
      No wearer is chosen for this piece. Choose one at the side, or one for the whole build on the Wall.
    </Typography>
  );
  const decisions = (
    <>
      <WearerPicker
        label="This piece is worn by"
        value={piece.worn_by}
        empty="the build’s wearer"
        onChoose={(id) => change({ wearer: id })}
      />
      {next.length > 0 && (
        <div role="group" aria-label="What to measure next">
          <Typography variant="h3" component="h2">
            What to measure next
          </Typography>
          <Typography>{units.say(next[0].reason)}</Typography>
        </div>
      )}
      {wearer && (
        <Button component="a" variant="outlined" href={`/api/wearers/${wearer.id}/body/`} download>
          Download the stand-in body
        </Button>
      )}
      <Typography variant="body2" color="text.secondary">
        Every piece this person wears is computed again when a measurement changes, and shows what that did. Measurements stay on this
        machine. What is guessed is never kept as measured.
      </Typography>
    </>
  );
  return children({ stage, decisions });
}
