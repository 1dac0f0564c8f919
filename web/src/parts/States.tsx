/** What every view shows when it has nothing yet, is waiting, or could not. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useEffect, useState, type ReactNode } from "react";
import { Link } from "react-router";
import type { Refused } from "../api/client";

const BAR_MS = 1000;

/** Something is on its way. The moving bar comes late only: drawing it takes from what is waited for. */
export function Busy({ what }: { what: string }) {
  const [long, setLong] = useState(false);
  useEffect(() => {
    const late = setTimeout(() => setLong(true), BAR_MS);
    return () => clearTimeout(late);
  }, []);
  return (
    <Box role="status" sx={{ p: 3, maxWidth: 420 }}>
      <Typography color="text.secondary">{what} …</Typography>
      {long && <LinearProgress aria-label={what} sx={{ mt: 1, height: 3 }} />}
    </Box>
  );
}

/** Nothing is here yet: what it is for, and what to do first. */
interface EmptyProps {
  title: string;
  /** Whether the page has a heading of its own already. */
  within?: boolean;
  children: ReactNode;
}

export function Empty({ title, within = false, children }: EmptyProps) {
  const { inks } = useTheme().palette;
  return (
    <Box sx={{ m: 3, p: 3, maxWidth: 640, border: `1.5px dashed ${inks.line}` }}>
      <Typography variant="h2" component={within ? "p" : "h1"} sx={{ mb: 1 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** A page that could not be shown: what is wrong, and two ways on. */
export function Failed({ error, again }: { error: Error; again?: () => void }) {
  const { inks } = useTheme().palette;
  const gone = (error as Refused).status === 404;
  return (
    <Box role="alert" sx={{ m: 3, p: 3, maxWidth: 640, borderLeft: `5px solid ${inks.stops}`, bgcolor: "background.paper" }}>
      <Typography variant="h2" component="h1" sx={{ mb: 1 }}>
        {gone ? "This is not here any more" : "This page could not be loaded"}
      </Typography>
      <Typography sx={{ mb: 1.5 }}>{gone ? "It was deleted, or the address is wrong." : error.message}</Typography>
      {again && !gone && (
        <Button variant="outlined" onClick={again} sx={{ mr: 2 }}>
          Try again
        </Button>
      )}
      <Link to="/">To the builds</Link>
    </Box>
  );
}
