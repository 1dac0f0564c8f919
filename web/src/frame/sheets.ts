/** The two sheets of the Wall: what is planned, and what is done at the bench. A sheet without stations is not there. */
import type { Schemas } from "../api/client";

type Column = Schemas["StationRecord"];

export interface Sheet {
  key: Column["sheet"];
  title: string;
  stations: Column[];
}

const TITLES: [Column["sheet"], string][] = [
  ["plan", "Plan"],
  ["bench", "Bench"],
];

export const sheetsOf = (stations: Column[]): Sheet[] =>
  TITLES.map(([key, title]) => ({ key, title, stations: stations.filter((s) => s.sheet === key) })).filter((s) => s.stations.length > 0);

/** The sheet after this one; itself where there is no other. */
export const otherSheet = (sheets: Sheet[], key: string): Sheet | undefined =>
  sheets[(sheets.findIndex((s) => s.key === key) + 1) % Math.max(sheets.length, 1)];
