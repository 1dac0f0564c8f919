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

/** What the hands do without a break: steps of one group in a row. */
export interface Run {
  key: string;
  group: number;
  start_h: number;
  end_h: number;
  handle_h: number;
  number: number;
}

export function runsOf(groups: Group[]): Run[] {
  const all = groups.flatMap((g, group) => g.steps.map((s) => ({ s, group }))).sort((a, b) => a.s.start_h - b.s.start_h);
  const runs: Run[] = [];
  for (const { s, group } of all) {
    const last = runs.at(-1);
    // Over a night it goes on as another bar.
    if (last?.group === group && s.start_h - last.end_h < 1) {
      last.end_h = Math.max(last.end_h, s.end_h);
      last.handle_h = Math.max(last.handle_h, s.wait_h);
    } else runs.push({ key: s.key, group, start_h: s.start_h, end_h: s.end_h, handle_h: s.wait_h, number: group + 1 });
  }
  return runs;
}

export function grouped(steps: Step[]): Group[] {
  const groups: Group[] = [];
  for (const s of steps) {
    const key = `${s.wave}/${s.product}`;
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
