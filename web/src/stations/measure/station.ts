import { lazy } from "react";
import type { Station } from "../types";

export const measure: Station = { key: "measure", View: lazy(() => import("./MeasureStation")) };
