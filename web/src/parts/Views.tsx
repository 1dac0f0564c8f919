/** The ways to look at a station's stage, as a strip along its upper edge. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";

interface Props {
  views: readonly string[];
  value: string;
  onChange: (view: string) => void;
  note?: string;
}

export function Views({ views, value, onChange, note }: Props) {
  const { inks } = useTheme().palette;
  return (
    <Box
      role="group"
      aria-label="Views"
      sx={{ display: "flex", gap: 0.5, px: 1.5, pt: 0.75, flexWrap: "wrap", alignItems: "center", zIndex: 2 }}
    >
      {views.map((view) => (
        <Button
          key={view}
          size="small"
          aria-pressed={view === value}
          onClick={() => onChange(view)}
          sx={{
            color: "text.primary",
            borderRadius: 0,
            borderBottom: `3px solid ${view === value ? inks.chosen : "transparent"}`,
            fontWeight: view === value ? 700 : 500,
          }}
        >
          {view}
        </Button>
      ))}
      {note && (
        <Typography variant="body2" sx={{ ml: 1, color: inks.tight }}>
          {note}
        </Typography>
      )}
    </Box>
  );
}
