/** Places on the piece: kept at scale 1, so that they follow a new scale. */
import type { Schemas } from "../../api/client";

export type Three = [number, number, number];

export const at1 = (at: readonly number[], scale: readonly number[]): Three => at.map((v, i) => v / scale[i]) as Three;

/** A name for a region of the maker's that none has. */
export const ownId = (taken: readonly Schemas["OwnRegion"][]): string => {
  let n = taken.length + 1;
  while (taken.some((m) => m.id === `own${n}`)) n += 1;
  return `own${n}`;
};

export const AXES = { x: "left from right", y: "front from back", z: "upper from lower" } as const;
export type Axis = keyof typeof AXES;
