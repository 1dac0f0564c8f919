import { station } from "../types";

export const assemble = station("assemble", () => import("./AssembleStation"));
