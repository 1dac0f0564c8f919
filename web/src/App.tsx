/** Themes, units, addresses. Pages load when they are opened. */
import CssBaseline from "@mui/material/CssBaseline";
import Box from "@mui/material/Box";
import { ThemeProvider } from "@mui/material/styles";
import { lazy, Suspense, useMemo, useState } from "react";
import { createBrowserRouter, Link, RouterProvider } from "react-router";
import { useShop } from "./api/client";
import { Frame, Paper } from "./frame/Frame";
import { BUILD_PAGES, pageAddress } from "./frame/pages";
import { UnitsContext, type UnitSystem } from "./parts/units";
import { makeTheme } from "./theme/theme";

const Builds = lazy(() => import("./wall/Builds"));
const Wearers = lazy(() => import("./stations/measure/Wearers"));
const Shop = lazy(() => import("./shop/Shop"));
const StationPage = lazy(() => import("./stations/StationPage"));
const SideBySide = lazy(() => import("./drafts/SideBySide"));
const FarSheet = lazy(() => import("./stations/measure/FarSheet"));

const MODE_KEY = "odd-bastion-light";

function remembered(): "light" | "dark" {
  const kept = localStorage.getItem(MODE_KEY);
  if (kept === "light" || kept === "dark") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

const router = createBrowserRouter([
  {
    path: "/far/:token",
    element: (
      <Suspense fallback={null}>
        <FarSheet />
      </Suspense>
    ),
  },
  {
    element: <Frame />,
    children: [
      { path: "/", element: <Builds /> },
      { path: "/wearers", element: <Wearers /> },
      { path: "/shop", element: <Shop /> },
      ...BUILD_PAGES.map(({ key, View }) => ({ path: pageAddress(":build", key), element: <View /> })),
      { path: "/build/:build/piece/:piece/drafts", element: <SideBySide /> },
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
