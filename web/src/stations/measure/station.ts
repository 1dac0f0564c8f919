import { station } from "../types";

export const measure = station("measure", () => import("./MeasureStation"));
