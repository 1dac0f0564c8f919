import { station } from "../types";

export const join = station("join", () => import("./JoinStation"));
