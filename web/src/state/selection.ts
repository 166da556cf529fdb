/** What is selected and pointed at, and how it moves. */
import type { StateCreator } from "zustand";

import { type Steps, keepSteps, keptSteps } from "./steps";

export interface SelectionSlice {
  selected: string[];
  pointed: string | null;
  /** A stray press does not lose the selection. */
  held: boolean;
  /** The group whose pieces can be picked one by one. */
  opened: string | null;
  /** Several pieces keep their arrangement when they are moved. */
  together: boolean;
  steps: Steps;
  seeThrough: boolean;
  isolated: boolean;
  /** A press on a jointed piece takes hold of a limb. */
  pulling: boolean;
  /** A press on a bearer chooses it. */
  bearersInHand: boolean;
  /** What stands on a bearer goes along when it is moved. */
  loadComesAlong: boolean;
  /** A measure that is written stretches that side alone. */
  stretched: boolean;
  /** What was copied last, and its copies: the first of these is a copy of the first of those, and so on. */
  lastCopy: { from: string[]; to: string[] } | null;
  /** Pieces that this stage does not show. They are measured as ever. */
  outOfSight: ReadonlySet<string>;
  select: (keys: string[]) => void;
  point: (key: string | null) => void;
  setSteps: (steps: Partial<Steps>) => void;
}

export const selectionSlice: StateCreator<SelectionSlice> = (set, get) => ({
  selected: [],
  pointed: null,
  held: false,
  opened: null,
  together: true,
  steps: keptSteps(),
  seeThrough: false,
  isolated: false,
  pulling: false,
  bearersInHand: false,
  loadComesAlong: true,
  stretched: false,
  lastCopy: null,
  outOfSight: new Set(),
  select: (keys) => {
    if (!get().held) set({ selected: keys });
  },
  point: (key) => {
    if (get().pointed !== key) set({ pointed: key });
  },
  setSteps: (some) =>
    set((state) => {
      const steps = { ...state.steps, ...some };
      keepSteps(steps);
      return { steps };
    }),
});
