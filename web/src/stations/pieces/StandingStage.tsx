/** The stage with the piece as it stands; its own file so that three.js loads with it. */
import { useMemo } from "react";
import type { Detail } from "../../api/client";
import Stage from "../../stage/Stage";
import { standing } from "../../stage/stand";
import { LazyStage } from "../../stage/LazyStage";

export default function StandingStage({ piece }: { piece: Detail }) {
  const { turn_x, turn_y, turn_z, mirrored } = piece.recipe;
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const matrix = useMemo(() => standing(piece), [turn_x, turn_y, turn_z, mirrored]);
  if (!piece.files.preview) return <LazyStage file={null} label={piece.name} />;
  return (
    <Stage
      key={`${turn_x}${turn_y}${turn_z}${mirrored}`}
      file={`/api/stage/${piece.files.preview}/`}
      matrix={matrix}
      label={`${piece.name} as it stands`}
    />
  );
}
