/** A piece's row of the Wall, kept along the top of its pages: one sheet of it, the other's state in marks. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { Link } from "react-router";
import type { Detail } from "../api/client";
import { Mark } from "../parts/Mark";
import { Silhouette } from "../parts/Silhouette";
import { useUnits } from "../parts/units";
import { SERIF } from "../theme/theme";
import type { Sheet } from "./sheets";

interface Props {
  piece: Detail;
  sheets: Sheet[];
  /** The station that is open. */
  current: string;
  to: (station: string) => string;
}

const CUT = { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" } as const;

export function RowStrip({ piece, sheets, current, to }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const sheet = sheets.find((s) => s.stations.some((x) => x.key === current)) ?? sheets[0];
  const others = sheets.filter((s) => s !== sheet);
  return (
    <Box component="nav" aria-label="This piece's row" sx={{ display: "flex", borderBottom: `2px solid ${inks.ink}` }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", px: { xs: 1, lg: 2 }, width: { xs: 150, lg: 210 }, flexShrink: 0 }}>
        <Silhouette path={piece.silhouette} width={36} height={42} label={`Outline of ${piece.name}`} />
        <Typography
          sx={{ fontFamily: SERIF, fontWeight: 600, lineHeight: 1.15, fontSize: { xs: 13.5, lg: 15 }, overflow: "hidden", maxHeight: 48 }}
        >
          {piece.name}
        </Typography>
      </Box>
      {sheet?.stations.map(({ key }) => {
        const cell = piece.stations[key];
        const main = units.say(cell.main);
        const here = key === current;
        const fresh = cell.state === "fresh";
        return (
          <Box
            key={key}
            component={Link}
            to={to(key)}
            aria-current={here ? "page" : undefined}
            title={main}
            sx={{
              flex: 1,
              minWidth: 0,
              px: { xs: 0.75, lg: 1.25 },
              py: 0.75,
              borderLeft: `1px solid ${inks.line}`,
              color: "text.primary",
              textDecoration: "none",
              bgcolor: here ? "background.paper" : undefined,
              boxShadow: here ? `inset 0 -4px 0 ${inks.chosen}` : undefined,
            }}
          >
            <Box sx={{ display: "flex", gap: 0.75, alignItems: "center", fontFamily: SERIF, fontStyle: "italic", fontSize: 14 }}>
              <Mark verdict={cell.verdict} size={12} /> {cell.title}
            </Box>
            <Box sx={{ ...CUT, fontSize: 12.5, fontWeight: 600, color: fresh ? undefined : "text.secondary" }}>
              {fresh ? main : main || cell.state}
            </Box>
          </Box>
        );
      })}
      {others.map((other) => (
        <Box
          key={other.key}
          component={Link}
          to={to(other.stations[0].key)}
          aria-label={`${other.title}: ${other.stations.map((s) => `${s.title} ${piece.stations[s.key].verdict}`).join(", ")}`}
          sx={{ px: 1, py: 0.75, borderLeft: `2px solid ${inks.ink}`, color: "text.primary", textDecoration: "none" }}
        >
          <Box sx={{ fontFamily: SERIF, fontStyle: "italic", fontSize: 14 }}>{other.title}</Box>
          <Marks verdicts={other.stations.map((s) => piece.stations[s.key].verdict)} />
        </Box>
      ))}
    </Box>
  );
}

/** Stations by their marks alone. */
export function Marks({ verdicts }: { verdicts: Parameters<typeof Mark>[0]["verdict"][] }) {
  return (
    <Box sx={{ display: "flex", gap: 0.5 }}>
      {verdicts.map((v, i) => (
        <Mark key={i} verdict={v} size={12} />
      ))}
    </Box>
  );
}
