/** The frame round every page: theme, units, addresses, the key list. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import CssBaseline from "@mui/material/CssBaseline";
import Stack from "@mui/material/Stack";
import { ThemeProvider, useTheme } from "@mui/material/styles";
import { createContext, useContext, useMemo, useState } from "react";
import { createBrowserRouter, Link, Outlet, RouterProvider } from "react-router";
import { useShop } from "./api/client";
import { Keys } from "./parts/Keys";
import { UnitsContext, type UnitSystem } from "./parts/units";
import { Shop } from "./shop/Shop";
import { StationPage } from "./stations/StationPage";
import { makeTheme, SERIF } from "./theme/theme";
import { Builds } from "./wall/Builds";
import { Wall } from "./wall/Wall";
import { FarSheet } from "./stations/measure/FarSheet";
import { Suit } from "./stations/fit/Suit";
import { Wearers } from "./stations/measure/Wearers";

const MODE_KEY = "odd-bastion-light";

function remembered(): "light" | "dark" {
  const kept = localStorage.getItem(MODE_KEY);
  if (kept === "light" || kept === "dark") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

const Paper = createContext({ mode: "light" as "light" | "dark", flip: () => {} });

function Frame() {
  const { mode, flip } = useContext(Paper);
  const { inks } = useTheme().palette;
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <Stack
        component="header"
        direction="row"
        spacing={2.5}
        sx={{ px: 2.5, py: 0.5, alignItems: "center", borderBottom: `1px solid ${inks.line}` }}
      >
        <Box
          component={Link}
          to="/"
          sx={{
            fontFamily: SERIF,
            fontWeight: 700,
            fontSize: "1.05rem",
            color: "text.primary",
            textDecoration: "none",
          }}
        >
          Odd Bastion
        </Box>
        <Box component="nav" aria-label="Main" sx={{ display: "flex", gap: 2, flex: 1 }}>
          <Link to="/">Builds</Link>
          <Link to="/wearers">Wearers</Link>
          <Link to="/shop">Shop</Link>
        </Box>
        <Button size="small" onClick={flip}>
          {mode === "light" ? "Night paper" : "Day paper"}
        </Button>
        <Keys />
      </Stack>
      <Box component="main" sx={{ flex: 1, display: "flex", flexDirection: "column", minHeight: 0 }}>
        <Outlet />
      </Box>
    </Box>
  );
}

const router = createBrowserRouter([
  { path: "/far/:token", element: <FarSheet /> },
  {
    element: <Frame />,
    children: [
      { path: "/", element: <Builds /> },
      { path: "/wearers", element: <Wearers /> },
      { path: "/shop", element: <Shop /> },
      { path: "/build/:build", element: <Wall /> },
      { path: "/build/:build/suit", element: <Suit /> },
      { path: "/build/:build/piece/:piece/:station", element: <StationPage /> },
      {
        path: "*",
        element: (
          <Box sx={{ p: 3 }}>
            There is no such page. <Link to="/">To the builds</Link>
          </Box>
        ),
      },
    ],
  },
]);

export function App() {
  const [mode, setMode] = useState(remembered);
  const theme = useMemo(() => makeTheme(mode), [mode]);
  const shop = useShop();
  const paper = useMemo(
    () => ({
      mode,
      flip: () => {
        const next = mode === "light" ? "dark" : "light";
        localStorage.setItem(MODE_KEY, next);
        setMode(next);
      },
    }),
    [mode],
  );
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline enableColorScheme />
      <Paper.Provider value={paper}>
        <UnitsContext.Provider value={(shop.data?.units ?? "mm") as UnitSystem}>
          <RouterProvider router={router} />
        </UnitsContext.Provider>
      </Paper.Provider>
    </ThemeProvider>
  );
}
