/** A fastener that is being moved: where it would go, asked of the site while the hand moves, and kept when it is let go. */
import { useCallback, useRef, useState } from "react";
import { api, need, type Change, type Detail, type Schemas } from "../../api/client";

type Seam = Schemas["SeamRecord"];
type Three = [number, number, number];

export interface Trying {
  seam: string;
  index: number;
  /** Where the hand is, in the scaled piece. */
  at: Three;
  tried: Schemas["Tried"] | null;
}

/** A place of a seam's drawing (x, y downward) in the scaled piece. */
export const inSpace = (seam: Seam, x: number, y: number): Three => seam.to_space.map((row) => row[0] * x + row[1] * y + row[2]) as Three;

/** How a seam was to be held, said of this seam. */
export const heldOf = (seam: Seam): Schemas["Held"] => ({ ...seam.asked, seam: seam.id });

/** The decisions with one seam held otherwise; null takes back what was said of it. */
export function holding(piece: Detail, seam: Seam, held: Schemas["Held"] | null): Change {
  const others = piece.recipe.joints.filter((h) => h.seam !== seam.id && h.seam !== seam.letters);
  return { joints: held ? [...others, held] : others };
}

/** Where the fasteners of a seam are to sit, in the scaled piece: as it was decided a moment ago, else as they sit now. */
function placesOf(piece: Detail, seam: Seam, scale: readonly number[]): Three[] {
  const decided = piece.recipe.joints.find((h) => h.seam === seam.id || h.seam === seam.letters)?.at_mm;
  if (decided?.length === seam.joints.filter((joint) => joint.movable).length)
    return decided.map((at) => at.map((v, i) => v * scale[i]) as Three);
  return seam.joints.filter((joint) => joint.movable).map((joint) => joint.position_mm as Three);
}

export function useTrying(piece: Detail, change: (change: Change) => void) {
  const [trying, setTrying] = useState<Trying | null>(null);
  const asking = useRef(false);
  const waiting = useRef<(() => void) | null>(null);
  const scale = piece.fit?.scale ?? [1, 1, 1];

  const ask = useCallback(
    async (seam: string, index: number, at: Three) => {
      if (asking.current) {
        waiting.current = () => void ask(seam, index, at);
        return;
      }
      asking.current = true;
      try {
        const at_mm = at.map((v, i) => v / scale[i]);
        const tried = await need(
          api.POST("/api/pieces/{id}/seam-place/", { params: { path: { id: piece.id } }, body: { seam, index, at_mm } }),
        );
        setTrying((now) => (now && now.seam === seam && now.index === index ? { ...now, tried } : now));
      } catch {
        // The last place that was told stays; what is wrong is told when it is let go.
      }
      asking.current = false;
      const next = waiting.current;
      waiting.current = null;
      next?.();
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [piece.id, scale.join()],
  );

  const move = (seam: Seam, index: number, at: Three, done: boolean) => {
    if (!done) {
      setTrying((now) => ({ seam: seam.id, index, at, tried: now?.seam === seam.id && now.index === index ? now.tried : null }));
      void ask(seam.id, index, at);
      return;
    }
    waiting.current = null;
    setTrying(null);
    const at_mm = placesOf(piece, seam, scale).map((place, k) =>
      (k === index ? at : place).map((v, i) => Number((v / scale[i]).toFixed(3))),
    );
    // What is put somewhere by hand is chosen by it.
    const kind = seam.asked.kind === "auto" ? seam.kind : seam.asked.kind;
    change(holding(piece, seam, { ...heldOf(seam), kind, at_mm }));
  };
  /** A step along the drawing, by the keys. */
  const nudge = (seam: Seam, index: number, [dx, dy]: [number, number]) => {
    const place = placesOf(piece, seam, scale)[index];
    move(seam, index, place.map((v, i) => v + seam.to_space[i][0] * dx + seam.to_space[i][1] * dy) as Three, true);
  };
  return { trying, move, nudge };
}
