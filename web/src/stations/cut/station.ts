import { lazy } from "react";
import type { Station } from "../types";

export const cut: Station = { key: "cut", View: lazy(() => import("./CutStation")) };
