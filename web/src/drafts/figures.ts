/** What a draft would do to the figures of its piece: what is kept, and what would be. */
import type { Row, Schemas, Verdict } from "../api/client";
import type { formats } from "../parts/units";

type Units = ReturnType<typeof formats>;
type Totals = NonNullable<Row["totals"]>;

export interface Figure {
  key: string;
  label: string;
  kept: string;
  tried: string;
  verdict?: Verdict;
  was?: Verdict;
  /** Whether the draft's figure is not computed yet. */
  open: boolean;
}

/** The totals of a piece, each with its words. */
export const totalsOf = (units: Units, currency: string): [string, (t: Totals) => string][] => [
  ["on the printers", (t) => units.hours(t.hours)],
  ["filament", (t) => units.grams(t.filament_g)],
  ["parts", (t) => units.plain(t.parts, 0)],
  ["hands to smooth it", (t) => (t.hands_h === null ? "open" : units.hours(t.hands_h))],
  ["cost", (t) => units.money(t.cost, currency)],
  ["all printed by", (t) => (t.done_by ? units.date(t.done_by) : "open")],
];

/** Totals that stand in the stations' own figures already. */
const IN_STATIONS = ["on the printers", "filament", "parts", "hands to smooth it"];

const fact = (units: Units, cell: Schemas["Cell"]) => [units.say(cell.main), units.say(cell.under)].filter(Boolean).join(", ");

/** Every figure of a draft beside what is kept, in the order of the work. */
export function figures(kept: Row, tried: Row, units: Units, currency: string): Figure[] {
  const stations = Object.entries(tried.stations).map(([key, cell]): Figure => {
    const open = cell.state !== "fresh";
    return {
      key,
      label: cell.title,
      kept: fact(units, kept.stations[key]),
      tried: open ? cell.state : fact(units, cell),
      verdict: cell.verdict,
      was: kept.stations[key].verdict,
      open,
    };
  });
  const unknown = Object.values(tried.stations).some((c) => c.state !== "fresh");
  const totals = totalsOf(units, currency)
    .filter(([label]) => !IN_STATIONS.includes(label))
    .map(([label, value]): Figure => {
      const now = unknown || !tried.totals ? "…" : value(tried.totals);
      return { key: label, label, kept: kept.totals ? value(kept.totals) : "—", tried: now, open: unknown || !tried.totals };
    });
  return [...stations, ...totals];
}

/** Those that it changes, or may still. */
export const changed = (all: Figure[]) => all.filter((f) => f.open || f.kept !== f.tried || f.verdict !== f.was);
