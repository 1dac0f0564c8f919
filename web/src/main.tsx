/** The first thing that runs: asks for the page's figures, then loads the application. */
import { askEarly } from "./api/early";

askEarly(location.pathname);
void import("./start");
