/** Steps of all regions that are one piece of work at the bench: the same coat, the same grit. */
import type { Schemas } from "../../api/client";

export type Step = Schemas["Step"];

export interface Group {
  key: string;
  what: string;
  steps: Step[];
  start_h: number;
  end_h: number;
  hands_min: number;
  wait_h: number;
}

export function grouped(steps: Step[]): Group[] {
  const groups: Group[] = [];
  for (const s of steps) {
    const key = `${s.wave}/${s.what.replace(/ and what is left of supports| and blobs/, "")}/${s.product}`;
    const there = groups.find((g) => g.key === key);
    if (there) {
      there.steps.push(s);
      there.end_h = Math.max(there.end_h, s.end_h);
      there.hands_min += s.hands_min;
      there.wait_h = Math.max(there.wait_h, s.wait_h);
    } else groups.push({ key, what: s.what, steps: [s], start_h: s.start_h, end_h: s.end_h, hands_min: s.hands_min, wait_h: s.wait_h });
  }
  return groups;
}
