/** A table of figures: thin lines, text to the left; columns from the given one on are numbers and stand to the right. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import type { ReactNode } from "react";

interface Props {
  label: string;
  /** The first column of numbers, counted from 1; none where none is given. */
  numbersFrom?: number;
  small?: boolean;
  wide?: boolean;
  children: ReactNode;
}

export function PlainTable({ label, numbersFrom, small, wide = true, children }: Props) {
  const { inks } = useTheme().palette;
  return (
    <Box
      component="table"
      aria-label={label}
      sx={{
        borderCollapse: "collapse",
        width: wide ? "100%" : undefined,
        fontSize: small ? 14 : undefined,
        "& td, & th": { textAlign: "left", py: 0.5, pr: 1, borderBottom: `1px solid ${inks.line}`, verticalAlign: "top" },
        ...(numbersFrom && {
          [`& td:nth-of-type(n+${numbersFrom}), & th:nth-of-type(n+${numbersFrom})`]: {
            textAlign: "right",
            fontVariantNumeric: "tabular-nums",
            whiteSpace: "nowrap",
          },
        }),
        "& td.n, & th.n": { textAlign: "right", fontVariantNumeric: "tabular-nums" },
      }}
    >
      {children}
    </Box>
  );
}
