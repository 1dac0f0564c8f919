import { station } from "../types";

export const print = station("print", () => import("./PrintStation"));
