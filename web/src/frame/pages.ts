/** The pages of a build beside the stations of its pieces, in the order they stand in the frame. A new one is a line here. */
import { lazy, type ComponentType } from "react";
import { Wall } from "../wall/Wall";

export interface BuildPage {
  /** The end of its address. */
  key: string;
  title: string;
  View: ComponentType;
}

export const BUILD_PAGES: BuildPage[] = [
  { key: "", title: "Wall", View: Wall },
  { key: "suit", title: "Suit", View: lazy(() => import("../stations/fit/Suit")) },
  { key: "printers", title: "Printers", View: lazy(() => import("../floor/Printers")) },
  { key: "log", title: "Log", View: lazy(() => import("../floor/Log")) },
  { key: "changes", title: "Changes", View: lazy(() => import("../drafts/Changes")) },
];

export const pageAddress = (build: number | string, key: string) => `/build/${build}${key && `/${key}`}`;
