import { station } from "../types";

export const pieces = station("pieces", () => import("./PiecesStation"));
