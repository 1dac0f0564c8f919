/** What a station is on screen. */
import { lazy, type ComponentType, type ReactNode } from "react";
import type { Change, Detail } from "../api/client";

/** What a station gives the frame: what is seen, and the decisions of its ledger. */
export interface StationView {
  stage: ReactNode;
  decisions: ReactNode;
}

export interface StationProps {
  /** What is shown: what is kept, or a draft of it. */
  piece: Detail;
  /** What is kept, while a draft is shown. */
  kept: Detail | null;
  change: (change: Change) => void;
  children: (view: StationView) => ReactNode;
}

/** A station of the registry: its key is the one it has in the core and in every address. */
export interface Station {
  key: string;
  View: ComponentType<StationProps>;
  /** Fetches its page ahead, so that it opens at once. */
  load: () => Promise<unknown>;
}

/** A station whose page is loaded when it is first opened, or ahead. */
export const station = (key: string, load: () => Promise<{ default: ComponentType<StationProps> }>): Station => ({
  key,
  View: lazy(load),
  load,
});
