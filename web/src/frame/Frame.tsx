/** The frame round every page: where one is, the pages of the build, the way back and forth, day and night, the keys. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { useTheme } from "@mui/material/styles";
import { createContext, Suspense, useContext } from "react";
import { Link, NavLink, Outlet, useMatch, useSearchParams } from "react-router";
import { Keys } from "../parts/Keys";
import { Busy } from "../parts/States";
import { SERIF } from "../theme/theme";
import { BUILD_PAGES, pageAddress } from "./pages";
import { Undo } from "./Undo";

export const Paper = createContext({ mode: "light" as "light" | "dark", flip: () => {} });

export function Frame() {
  const { mode, flip } = useContext(Paper);
  const { inks } = useTheme().palette;
  const inBuild = useMatch("/build/:build/*");
  const atPiece = useMatch("/build/:build/piece/:piece/*");
  const [asked] = useSearchParams();
  const build = Number(inBuild?.params.build);
  const tab = { "&.active": { color: "text.primary", fontWeight: 700, textDecorationThickness: "2px" } };
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <Stack
        component="header"
        direction="row"
        sx={{
          px: { xs: 1.5, lg: 2.5 },
          minHeight: 46,
          // On a phone the pages of the build stand in a row of their own.
          flexWrap: { xs: "wrap", sm: "nowrap" },
          gap: { xs: 1.25, lg: 2.5 },
          alignItems: "center",
          borderBottom: `1px solid ${inks.line}`,
        }}
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
            whiteSpace: "nowrap",
          }}
        >
          Odd Bastion
        </Box>
        <Stack component="nav" aria-label="Main" direction="row" sx={{ gap: { xs: 1.25, lg: 2 } }}>
          {[
            ["/", "Builds"],
            ["/wearers", "Wearers"],
            ["/shop", "Shop"],
          ].map(([to, word]) => (
            <Box key={to} component={NavLink} to={to} end sx={tab}>
              {word}
            </Box>
          ))}
        </Stack>
        {inBuild && (
          <Stack
            component="nav"
            aria-label="Build"
            direction="row"
            sx={{
              gap: { xs: 1.25, lg: 2 },
              borderLeft: { sm: `1px solid ${inks.line}` },
              pl: { xs: 0, sm: 1.25, lg: 2.5 },
              order: { xs: 3, sm: 0 },
              width: { xs: "100%", sm: "auto" },
              minHeight: { xs: 36, sm: 0 },
              overflowX: "auto",
            }}
          >
            {BUILD_PAGES.map((page) => (
              <Box key={page.key} component={NavLink} to={pageAddress(build, page.key)} end sx={tab}>
                {page.title}
              </Box>
            ))}
          </Stack>
        )}
        <Box sx={{ flex: 1 }} />
        {/* A thumb needs the pages more than steps and keys. */}
        {inBuild && (
          <Box sx={{ display: { xs: "none", sm: "flex" } }}>
            <Undo build={build} piece={atPiece ? Number(atPiece.params.piece) : null} draft={asked.has("draft")} />
          </Box>
        )}
        <Button size="small" onClick={flip} sx={{ minWidth: 0 }}>
          {mode === "light" ? "Night" : "Day"}
        </Button>
        <Box sx={{ display: { xs: "none", sm: "block" } }}>
          <Keys />
        </Box>
      </Stack>
      <Box component="main" sx={{ flex: 1, display: "flex", flexDirection: "column", minHeight: 0 }}>
        <Suspense fallback={<Busy what="Opening the page" />}>
          <Outlet />
        </Suspense>
      </Box>
    </Box>
  );
}
