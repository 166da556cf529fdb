/** What is open beside the stage, and what is looked at without being changed. */
import type { StateCreator } from "zustand";

import type { Move, Piece } from "../api/client";

export interface PanelsSlice {
  /** The graphics card has let go of all that was drawn: nothing of the stage can be seen. */
  undrawn: boolean;
  ledger: boolean;
  history: boolean;
  keySheet: boolean;
  finder: boolean;
  /** Pieces that changes made here took the support from. */
  lost: string[];
  /** A step of the history that is looked at, and the pieces as they stood then. */
  preview: { number: number; words: string; pieces: ReadonlyMap<string, Piece> } | null;
  /** Shows what a move would do, without making it; null shows the set as it is. */
  tryOut: (move: Move | null) => void;
}

export const panelsSlice: StateCreator<PanelsSlice> = () => ({
  undrawn: false,
  ledger: false,
  history: false,
  keySheet: false,
  finder: false,
  lost: [],
  preview: null,
  tryOut: () => undefined,
});
