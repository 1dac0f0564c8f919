/** The three meanings (and waiting), each a colour, a shape and a word. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import type { Verdict } from "../api/client";

const WORDS: Record<Verdict, string> = { holds: "holds", tight: "tight", stops: "stops", waits: "waits" };

// A peg that sits in its hole, one that pinches, a barred gate, an empty hole.
const SHAPES: Record<Verdict, string> = {
  holds: "M2 8h3v5h6V8h3v6H2zM6 2h4v9H6z",
  tight: "M2 2h12l-4.5 6L14 14H2l4.5-6z",
  stops: "M2 2h3v12H2zM11 2h3v12h-3zM5 6.500h6v3H5z",
  waits: "M2 8h2v4h8V8h2v6H2z",
};

export function Mark({ verdict, word = false, size = 14 }: { verdict: Verdict; word?: boolean; size?: number }) {
  const { inks } = useTheme().palette;
  return (
    <span style={{ color: inks[verdict], display: "inline-flex", alignItems: "center", gap: 5, fontWeight: 600, flexShrink: 0 }}>
      <svg width={size} height={size} viewBox="0 0 16 16" role="img" aria-label={WORDS[verdict]}>
        <path d={SHAPES[verdict]} fill="currentColor" fillRule="evenodd" />
      </svg>
      {word && <span>{WORDS[verdict]}</span>}
    </span>
  );
}

/** A caution or a hint: nothing is judged by it, so it has a sign of its own, a tag on a string. */
export function NoteMark({ size = 14 }: { size?: number }) {
  const { inks } = useTheme().palette;
  return (
    <Box component="svg" viewBox="0 0 16 16" role="img" aria-label="note" sx={{ width: size, height: size, flexShrink: 0, mt: "3px" }}>
      <path d="M2.5 6.5 7 2h6.500v12H7L2.500 9.500z" fill="none" stroke={inks.faint} strokeWidth="1.5" strokeLinejoin="round" />
      <circle cx="6.500" cy="8" r="1.2" fill={inks.faint} />
    </Box>
  );
}
