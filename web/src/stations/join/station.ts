import { lazy } from "react";
import type { Station } from "../types";

export const join: Station = { key: "join", View: lazy(() => import("./JoinStation")) };
