/** Every station that has a page. A new one is a folder and a line here; titles and order come from the site. */
import { assemble } from "./assemble/station";
import { cut } from "./cut/station";
import { finish } from "./finish/station";
import { fit } from "./fit/station";
import { join } from "./join/station";
import { measure } from "./measure/station";
import { pieces } from "./pieces/station";
import { print } from "./print/station";
import type { Station } from "./types";

export const STATIONS: Station[] = [measure, pieces, fit, cut, join, print, assemble, finish];
