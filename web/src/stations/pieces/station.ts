import { lazy } from "react";
import type { Station } from "../types";

export const pieces: Station = { key: "pieces", View: lazy(() => import("./PiecesStation")) };
