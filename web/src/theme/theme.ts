/** Workshop drawing on warm paper, and the same at night. All colours and sizes of the interface stand here. */
import "@fontsource-variable/archivo";
import "@fontsource-variable/literata";
import { createTheme, type Theme } from "@mui/material/styles";

export interface Inks {
  paper: string;
  sheet: string;
  ink: string;
  faint: string;
  line: string;
  holds: string;
  tight: string;
  stops: string;
  waits: string;
  chosen: string;
  night: string;
  parts: string[];
  /** Kinds of surface, in the order of the trade's list. */
  regions: string[];
}

declare module "@mui/material/styles" {
  interface Palette {
    inks: Inks;
  }
  interface PaletteOptions {
    inks?: Inks;
  }
}

const DAY: Inks = {
  paper: "#f3ecdc",
  sheet: "#fbf7ec",
  ink: "#1f2a33",
  faint: "#5b6468",
  line: "#c9bea4",
  holds: "#25685a",
  tight: "#865400",
  stops: "#9a2c33",
  waits: "#5b6468",
  chosen: "#3a478f",
  night: "#e4dac3",
  parts: ["#b9c4bd", "#d8c6a0", "#b7bccb", "#d3b3a4", "#a9bfc4", "#cdc9b4", "#c4b2c0", "#b5c3a5"],
  regions: ["#a8bdb2", "#cfae5f", "#56789f", "#9c5648", "#7b5f94", "#c7863f", "#ddd2b8", "#6d9669"],
};

const NIGHT: Inks = {
  paper: "#191e22",
  sheet: "#21272c",
  ink: "#ebe3d2",
  faint: "#a9aba4",
  line: "#434b50",
  holds: "#74c6b2",
  tight: "#e2b25c",
  stops: "#f09090",
  waits: "#a9aba4",
  chosen: "#a9b6ff",
  night: "#15191c",
  parts: ["#7d8f88", "#a08e66", "#7c839a", "#9c7767", "#6b878e", "#918c73", "#877082", "#76885f"],
  regions: ["#71877d", "#a58a45", "#6f93bd", "#b8705f", "#9a7db3", "#c98f52", "#4a4438", "#6f9a6b"],
};

export const SERIF = '"Literata Variable", Georgia, serif';
export const SANS = '"Archivo Variable", "Helvetica Neue", sans-serif';

export function makeTheme(mode: "light" | "dark"): Theme {
  const inks = mode === "light" ? DAY : NIGHT;
  return createTheme({
    palette: {
      mode,
      inks,
      background: { default: inks.paper, paper: inks.sheet },
      text: { primary: inks.ink, secondary: inks.faint },
      primary: { main: inks.chosen },
      success: { main: inks.holds },
      warning: { main: inks.tight },
      error: { main: inks.stops },
      divider: inks.line,
    },
    shape: { borderRadius: 2 },
    typography: {
      fontFamily: SANS,
      fontSize: 14,
      h1: { fontFamily: SERIF, fontSize: "1.65rem", fontWeight: 600, letterSpacing: "-0.01em" },
      h2: { fontFamily: SERIF, fontSize: "1.2rem", fontWeight: 600 },
      h3: { fontFamily: SERIF, fontSize: "1rem", fontWeight: 600, fontStyle: "italic" },
      button: { textTransform: "none", fontWeight: 600 },
    },
    components: {
      MuiCssBaseline: {
        styleOverrides: {
          body: { fontVariantNumeric: "tabular-nums lining-nums" },
          "*:focus-visible": { outline: `2.5px solid ${inks.chosen} !important`, outlineOffset: 2 },
          a: { color: inks.chosen },
        },
      },
      MuiButton: {
        defaultProps: { disableElevation: true, size: "medium" },
        styleOverrides: { root: { minHeight: 38 } },
      },
      MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: "none" } } },
      MuiTextField: { defaultProps: { size: "small", variant: "outlined" } },
      MuiToggleButton: { styleOverrides: { root: { color: inks.faint, "&.Mui-selected": { color: inks.ink, fontWeight: 700 } } } },
      MuiTooltip: { defaultProps: { arrow: true } },
    },
  });
}
