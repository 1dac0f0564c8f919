import { station } from "../types";

export const finish = station("finish", () => import("./FinishStation"));
