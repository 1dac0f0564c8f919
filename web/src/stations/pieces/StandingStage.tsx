/** The stage with the piece as it stands; its own file so that three.js loads with it. */
import { useMemo } from "react";
import type { Detail } from "../../api/client";
import type { StageMark } from "../../stage/MarkRing";
import Stage from "../../stage/Stage";
import { decidedFor } from "./uses";
import { standing } from "../../stage/stand";
import { LazyStage } from "../../stage/LazyStage";

interface Props {
  piece: Detail;
  explode?: number;
  chosenFile?: number | null;
  chosenHole?: number | null;
  /** Holes are marked where they can be chosen. */
  onChooseHole?: (hole: number) => void;
}

/** How a file of a set is called in what the stage shows. */
const nameOf = (file: number) => `file ${file + 1}`;

export default function StandingStage({ piece, explode = 0, chosenFile = null, chosenHole, onChooseHole }: Props) {
  const { turn_x, turn_y, turn_z, mirrored } = piece.recipe;
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const matrix = useMemo(() => standing(piece), [turn_x, turn_y, turn_z, mirrored]);
  const files = piece.pieces?.files;
  const centres = useMemo(() => Object.fromEntries((files ?? []).map((f, k) => [nameOf(k), f.centre_mm])), [files]);
  const marks = useMemo<StageMark[]>(
    () =>
      piece.holes.map((hole, id) => {
        const { at_mm, axis, width_mm } = hole.feature;
        return { id, at: at_mm, axis, width: width_mm, decided: decidedFor(piece, hole) !== undefined };
      }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [piece.holes, piece.recipe.features],
  );
  if (!piece.files.preview) return <LazyStage file={null} label={piece.name} />;
  return (
    <Stage
      key={`${turn_x}${turn_y}${turn_z}${mirrored}`}
      file={`/api/stage/${piece.files.preview}/`}
      matrix={matrix}
      label={`${piece.name} as it stands`}
      explode={explode}
      centres={centres}
      chosenPart={chosenFile === null ? null : nameOf(chosenFile)}
      marks={explode > 0.02 || !onChooseHole ? undefined : marks}
      chosenMark={chosenHole}
      onChooseMark={onChooseHole}
    />
  );
}
