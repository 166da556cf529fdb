/** The verb in hand, and the sentence of each. */
import type { StateCreator } from "zustand";

import type { JobsSlice } from "./jobs";
import type { NoteSlice } from "./note";
import type { RelationsSlice } from "./relations";
import type { ScatterSlice } from "./scatter";

/** What somebody does with the pointer: the name of a tool, which is a module of its own. */
export type Verb = string;
/** The verb in hand while no other is. */
export const IDLE: Verb = "look over";

export interface SetDownSlip {
  prop: string | null;
  side: "base" | "top" | "left" | "right" | "front" | "back";
  lean: number;
  follow: "face" | "smooth" | "ground";
  standOff: number;
  sink: number;
  size: number;
  /** Degrees; null turns each copy any way. */
  turn: number | null;
  /** Degrees from the prop's own front to what is aimed at the pointer. */
  front: number;
  /** Share by which the size of each next copy varies, and its proportions. */
  vary: number;
  /** What happens to the turn from one copy to the next: another one, or the same. */
  next: "varied" | "kept";
}

export interface BuildSlip {
  kind: "floor" | "wall" | "shelf" | "steps" | "sweep" | "box" | "terrain";
  across: number;
  along: number;
  height: number;
  thickness: number;
  radius: number;
  count: number;
  /** Degrees. */
  turn: number;
}

export interface SettleSlip {
  /** What falls: what is selected, or everything loose. */
  what: "selected" | "loose";
  lift: number;
  jitter: number;
  calm: number;
  seed: number;
  trials: number;
  /** Whether pieces are shoved by hand meanwhile, and how hard it pulls. */
  hand: "no" | "soft" | "firm";
  /** Metres of the smallest shard; null: nothing breaks. */
  breaks: number | null;
}

export interface PourSlip {
  props: string[];
  rate: number;
  most: number;
  from: number;
  to: number;
  tumbled: boolean;
  spread: number;
  fall: number;
  calm: number;
  largeFirst: boolean;
  breaks: number | null;
}

export interface Moved {
  key: string;
  name: string;
  by: number;
}

export const PLAIN_SLIP: SetDownSlip = {
  prop: null,
  side: "base",
  lean: 0,
  follow: "ground",
  standOff: 0,
  sink: 0,
  size: 1,
  turn: null,
  front: 0,
  vary: 0,
  next: "varied",
};

const PLAIN_BUILD: BuildSlip = {
  kind: "shelf",
  across: 1.2,
  along: 0.3,
  height: 1.5,
  thickness: 0.02,
  radius: 0.6,
  count: 4,
  turn: 0,
};

const PLAIN_SETTLE: SettleSlip = {
  what: "selected",
  lift: 0,
  jitter: 0,
  calm: 0.3,
  seed: 0,
  trials: 1,
  hand: "no",
  breaks: null,
};

const PLAIN_POUR: PourSlip = {
  props: [],
  rate: 8,
  most: 100,
  from: 1,
  to: 1,
  tumbled: true,
  spread: 0.1,
  fall: 0.05,
  calm: 0.6,
  largeFirst: false,
  breaks: null,
};

/** What each kind of bearer starts from. */
const BUILD_SIZES: Record<BuildSlip["kind"], Partial<BuildSlip>> = {
  floor: { across: 4, along: 4 },
  wall: { across: 3, height: 2.4, thickness: 0.1 },
  shelf: { across: 1.2, along: 0.3, height: 1.5, thickness: 0.02, count: 4 },
  steps: { across: 1.2, along: 0.84, height: 0.51, count: 3 },
  sweep: { across: 3, along: 2.5, height: 2, radius: 0.8 },
  box: { across: 0.8, along: 0.4, height: 0.5, thickness: 0.02 },
  terrain: { across: 10, along: 10, height: 1 },
};

export interface ToolsSlice {
  verb: Verb;
  slip: SetDownSlip;
  build: BuildSlip;
  settle: SettleSlip;
  pour: PourSlip;
  /** What the last repair moved, and how far. */
  mended: Moved[];
  /** The next prop pressed in the trolley takes the place of what is selected. */
  swapping: boolean;
  setVerb: (verb: Verb) => void;
  setSlip: (slip: Partial<SetDownSlip>) => void;
  setBuild: (build: Partial<BuildSlip>) => void;
  setSettle: (settle: Partial<SettleSlip>) => void;
  setPour: (pour: Partial<PourSlip>) => void;
}

/** What a change of the verb puts away besides its own. */
type PutAway = NoteSlice & JobsSlice & RelationsSlice & ScatterSlice;

export const toolsSlice: StateCreator<ToolsSlice & PutAway, [], [], ToolsSlice> = (set) => ({
  verb: IDLE,
  slip: PLAIN_SLIP,
  build: PLAIN_BUILD,
  settle: PLAIN_SETTLE,
  pour: PLAIN_POUR,
  mended: [],
  swapping: false,
  setVerb: (verb) =>
    set({ verb, note: null, swapping: false, lacking: [], picked: [], target: null, asking: null }),
  setSlip: (slip) =>
    set((state) => ({
      slip: { ...state.slip, ...slip },
      // What was said of the prop before is not true of this one.
      note: slip.prop !== undefined && slip.prop !== state.slip.prop ? null : state.note,
    })),
  setSettle: (settle) => set((state) => ({ settle: { ...state.settle, ...settle } })),
  setPour: (pour) => set((state) => ({ pour: { ...state.pour, ...pour } })),
  setBuild: (build) =>
    set((state) => ({
      build: { ...state.build, ...(build.kind ? BUILD_SIZES[build.kind] : {}), ...build },
    })),
});
