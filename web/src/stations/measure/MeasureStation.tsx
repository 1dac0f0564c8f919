/** Who wears this piece: their sheet, opened from the piece's row. */
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { useWearers } from "../../api/client";
import type { StationProps, StationView } from "../Station";
import { Sheet } from "./Sheet";
import { WearerPicker } from "./Wearers";

export function MeasureStation({ piece, change, children }: StationProps & { children: (view: StationView) => ReactNode }) {
  const wearers = useWearers();
  const wearer = wearers.data?.find((w) => w.id === piece.wearer?.id);
  const stage = wearer ? (
    <Sheet
      key={wearer.id}
      wearer={wearer}
      needed={piece.site === "head" ? ["head_breadth_mm", "head_length_mm", "chin_to_crown_mm"] : ["stature_mm"]}
    />
  ) : (
    <Typography sx={{ p: 3 }}>
      Nobody is chosen to wear this piece. Choose a wearer at the side, or one for the whole build on the Wall.
    </Typography>
  );
  const decisions = (
    <>
      <WearerPicker
        label="This piece is worn by"
        value={piece.recipe.wearer ?? null}
        empty="the build’s wearer"
        onChoose={(id) => change({ wearer: id })}
      />
      <Typography variant="body2" color="text.secondary">
        Every piece this person wears is computed again when a measurement changes, and shows what that did. Measurements stay on this
        machine.
      </Typography>
    </>
  );
  return children({ stage, decisions });
}
