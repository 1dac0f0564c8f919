import { lazy } from "react";
import type { Station } from "../types";

export const fit: Station = { key: "fit", View: lazy(() => import("./FitStation")) };
