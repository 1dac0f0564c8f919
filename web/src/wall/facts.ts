/** The one fact that matters in each cell of the Wall. */
import type { Row, StationKey } from "../api/client";
import type { formats } from "../parts/units";

export const STATIONS: { key: StationKey; title: string; slug: string }[] = [
  { key: "measure", title: "Measure", slug: "measure" },
  { key: "intake", title: "Pieces", slug: "pieces" },
  { key: "fit", title: "Fit", slug: "fit" },
  { key: "cut", title: "Cut", slug: "cut" },
  { key: "join", title: "Join", slug: "join" },
  { key: "print", title: "Print", slug: "print" },
];

type Units = ReturnType<typeof formats>;

export function fact(row: Row, station: StationKey, units: Units): [string, string] {
  switch (station) {
    case "measure":
      return row.wearer ? [row.wearer.name, `${row.wearer.taken} of ${row.wearer.of} taken`] : ["no wearer", ""];
    case "intake":
      return row.intake
        ? [units.size(row.intake.size_mm), `${units.thousands(row.intake.triangles)} triangles${row.intake.watertight ? "" : ", mended"}`]
        : ["", ""];
    case "fit": {
      if (!row.fit) return ["", ""];
      const [x, y, z] = row.fit.scale;
      const scale = x === y && y === z ? units.percent(x) : [x, y, z].map((s) => units.percent(s)).join(" / ");
      if (row.fit.room_mm === null) return [scale, units.size(row.fit.size_mm)];
      return [scale, row.fit.room_mm < 0 ? `${units.length(-row.fit.room_mm, 1)} too tight` : `${units.length(row.fit.room_mm, 1)} room`];
    }
    case "cut":
      return row.cut
        ? [
            units.count(row.cut.parts, "part"),
            row.cut.misfits.length
              ? `${row.cut.misfits.length} fit no bed`
              : row.cut.seams
                ? units.count(row.cut.seams, "seam")
                : "in one piece",
          ]
        : ["", ""];
    case "join":
      if (!row.join) return ["", ""];
      return row.join.seams
        ? [units.count(row.join.pins, "pin"), row.join.glued_only ? `${row.join.glued_only} glued only` : ""]
        : ["no seams", ""];
    case "print":
      if (row.print?.unprintable.length) return ["fits no bed", ""];
      return row.print ? [units.hours(row.print.hours), units.grams(row.print.filament_g)] : ["", ""];
  }
}
