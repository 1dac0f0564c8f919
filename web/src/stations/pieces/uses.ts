/** Which decision about holes concerns which hole: the one made at its mouth. */
import type { Schemas } from "../../api/client";

export type Feature = Schemas["Feature"];
export type FeatureUse = Schemas["FeatureUse"];

const FACING_MM = 1;

const apart = (a: readonly number[], b: readonly number[]) => Math.hypot(...a.map((v, i) => v - b[i]));

/** Where it opens: a hole at both its ends. */
const mouths = (f: Feature) => (f.through ? [f.at_mm, f.at_mm.map((v, i) => v - f.depth_mm * f.axis[i])] : [f.at_mm]);

/** The pocket itself, or the one that faces it across a seam. */
const concerns = (use: FeatureUse, f: Feature) => mouths(f).some((m) => apart(use.at_mm, m) < FACING_MM);

/** What is decided about a hole. */
export const decidedFor = (uses: readonly FeatureUse[], f: Feature) => uses.find((u) => concerns(u, f));

/** The decisions with that about some holes made anew; ``use`` empty takes it away. */
export function withUse(uses: readonly FeatureUse[], holes: readonly Feature[], use: string): FeatureUse[] {
  const kept = uses.filter((u) => !holes.some((f) => concerns(u, f)));
  if (!use) return kept;
  const made: FeatureUse[] = [];
  for (const f of holes) if (!made.some((u) => concerns(u, f))) made.push({ at_mm: f.at_mm, use });
  return [...kept, ...made];
}

/** All holes in groups of the same kind and size. */
export function groups(all: readonly Feature[]): Feature[][] {
  const made: Feature[][] = [];
  for (const f of all) {
    if (made.some((g) => g.includes(f))) continue;
    made.push(alike(all, f).filter((o) => !made.some((g) => g.includes(o))));
  }
  return made;
}

/** Holes of the same kind and size: what is decided about one mostly holds for all. */
export const alike = (all: readonly Feature[], one: Feature) =>
  all.filter(
    (f) =>
      f.kind === one.kind &&
      f.through === one.through &&
      Math.abs(f.width_mm - one.width_mm) < 0.06 &&
      Math.abs(f.depth_mm - one.depth_mm) < 0.3,
  );

export const isHollow = (f: Feature) => f.kind !== "peg" && f.kind !== "tongue";
