/** The stage comes when a page needs it: the first page stays light. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { lazy, Suspense } from "react";
import type { StageProps } from "./Stage";

const Stage = lazy(() => import("./Stage"));

export function LazyStage({ file, ...rest }: Omit<StageProps, "file"> & { file: string | null }) {
  if (!file) {
    return (
      <Box sx={{ p: 4 }}>
        <Typography color="text.secondary">The piece is being read; it appears here as soon as it can be shown.</Typography>
      </Box>
    );
  }
  return (
    <Suspense fallback={<Typography sx={{ p: 4 }}>Loading the 3D view …</Typography>}>
      <Stage file={`/api/stage/${file}/`} {...rest} />
    </Suspense>
  );
}
