/** Every way for the whole piece beside each other: hands, days, what is bought; and which would not hold, and why. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import type { Change, Detail, Schemas } from "../../api/client";
import { PlainTable } from "../../parts/PlainTable";
import { useUnits } from "../../parts/units";

export function Ways({ piece, data, change }: { piece: Detail; data: Schemas["FinishData"]; change: (change: Change) => void }) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const most = Math.max(...data.beside.map((b) => b.hands_h), 0.1);
  return (
    <Box sx={{ flex: 1, overflowY: "auto", p: 2 }}>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        For the same surface, this piece, these hands; ways by region set aside.
      </Typography>
      <PlainTable label="Ways beside each other">
        <thead>
          <tr>
            <th>Way</th>
            <th style={{ width: "34%" }}>Hands</th>
            <th>Days</th>
            <th>Drying</th>
            <th>To buy</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {data.beside.map((b) => {
            const now = b.school === piece.recipe.school;
            return (
              <tr key={b.school}>
                <td style={{ fontWeight: now ? 700 : 400 }}>{b.name}</td>
                <td>
                  <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
                    <Box
                      sx={{
                        height: 12,
                        width: `${(70 * b.hands_h) / most}%`,
                        bgcolor: now ? inks.chosen : b.works ? inks.holds : inks.line,
                      }}
                    />
                    <span style={{ whiteSpace: "nowrap" }}>{units.hours(b.hands_h)}</span>
                  </Box>
                  {b.why && (
                    <Typography variant="body2" sx={{ color: inks.stops }}>
                      {b.why}
                    </Typography>
                  )}
                </td>
                <td>{b.days}</td>
                <td style={{ whiteSpace: "nowrap" }}>{units.hours(b.wait_h)}</td>
                <td>{b.bought.join(", ")}</td>
                <td>
                  {!now && (
                    <Button
                      size="small"
                      variant="outlined"
                      aria-label={`Take ${b.name}`}
                      onClick={() => change({ school: b.school, schools: [] })}
                    >
                      Take
                    </Button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </PlainTable>
    </Box>
  );
}
