import { station } from "../types";

export const fit = station("fit", () => import("./FitStation"));
