import { station } from "../types";

export const cut = station("cut", () => import("./CutStation"));
