/** Which decision about holes concerns which hole. */
import type { Detail, Schemas } from "../../api/client";

export type Hole = Schemas["Hole"];
export type FeatureUse = Schemas["FeatureUse"];

const same = (a: readonly number[], b: readonly number[]) => a.every((v, i) => v === b[i]);

/** Where a decision about a hole may be: where it was found, or at one of those that are decided about together. */
const concerns = (holes: readonly Hole[], hole: Hole) => (use: FeatureUse) =>
  (hole.use !== null && same(use.at_mm, hole.use.at_mm)) || hole.seat.some((k) => same(use.at_mm, holes[k].feature.at_mm));

/** What is decided about a hole. */
export const decidedFor = ({ holes, recipe }: Detail, hole: Hole) => recipe.features.find(concerns(holes, hole));

/** The decisions with that about some holes made anew; ``use`` empty takes it away. */
export function withUse({ holes, recipe }: Detail, some: readonly Hole[], use: string): FeatureUse[] {
  const kept = recipe.features.filter((u) => !some.some((hole) => concerns(holes, hole)(u)));
  if (!use) return kept;
  const made: FeatureUse[] = [];
  for (const hole of some) if (!made.some(concerns(holes, hole))) made.push({ at_mm: hole.feature.at_mm, use });
  return [...kept, ...made];
}
