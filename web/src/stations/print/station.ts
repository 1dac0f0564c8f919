import { lazy } from "react";
import type { Station } from "../types";

export const print: Station = { key: "print", View: lazy(() => import("./PrintStation")) };
