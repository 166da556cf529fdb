/** The state of one open stage: the set as the server has it, and what the dresser is doing with it. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";

import type { Change, Job, Move, Piece, Prop, SetData } from "../api/client";
import type { JobNews, LineState, Onlooker } from "../api/live";
import { type Mirror, mirrorOf, reduced } from "../api/mirror";
import { type Steps, keepSteps, keptSteps } from "./steps";

export const VERBS = ["set down", "look over", "repair", "build", "measure", "settle", "pour"] as const;
export type Verb = (typeof VERBS)[number];

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

export const PLAIN_BUILD: BuildSlip = {
  kind: "shelf",
  across: 1.2,
  along: 0.3,
  height: 1.5,
  thickness: 0.02,
  radius: 0.6,
  count: 4,
  turn: 0,
};

export const PLAIN_SETTLE: SettleSlip = {
  what: "selected",
  lift: 0,
  jitter: 0,
  calm: 0.3,
  seed: 0,
  trials: 1,
  hand: "no",
  breaks: null,
};

export const PLAIN_POUR: PourSlip = {
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
export const BUILD_SIZES: Record<BuildSlip["kind"], Partial<BuildSlip>> = {
  floor: { across: 4, along: 4 },
  wall: { across: 3, height: 2.4, thickness: 0.1 },
  shelf: { across: 1.2, along: 0.3, height: 1.5, thickness: 0.02, count: 4 },
  steps: { across: 1.2, along: 0.84, height: 0.51, count: 3 },
  sweep: { across: 3, along: 2.5, height: 2, radius: 0.8 },
  box: { across: 0.8, along: 0.4, height: 0.5, thickness: 0.02 },
  terrain: { across: 10, along: 10, height: 1 },
};

interface StageState extends Mirror {
  key: string | null;
  props: ReadonlyMap<string, Prop>;
  line: LineState;
  saving: number;
  verb: Verb;
  slip: SetDownSlip;
  selected: string[];
  pointed: string | null;
  seeThrough: boolean;
  isolated: boolean;
  note: string | null;
  /** Who has the set open, this stage among them. */
  here: Onlooker[];
  stage: string;
  own: boolean;
  dressers: string[];
  steps: Steps;
  /** Several pieces keep their arrangement when they are moved. */
  together: boolean;
  /** A stray press does not lose the selection. */
  held: boolean;
  /** The group whose pieces can be picked one by one. */
  opened: string | null;
  build: BuildSlip;
  ledger: boolean;
  history: boolean;
  /** A step of the history that is looked at, and the pieces as they stood then. */
  preview: { number: number; words: string; pieces: ReadonlyMap<string, Piece> } | null;
  /** What the last repair moved, and how far. */
  mended: Moved[];
  /** The next prop pressed in the trolley takes the place of what is selected. */
  swapping: boolean;
  settle: SettleSlip;
  pour: PourSlip;
  /** The settling that was begun, while it runs and until its end is adopted or discarded. */
  job: JobNews | null;
  /** The key of the job that was last told to have ended. */
  ended: string | null;
  /** Props that a settling or a pour could not do without a contact shape for. */
  lacking: Job["lacking"];
  /** Keys of props that fall as their boxes here, since they have no other contact shape. */
  boxed: string[];
  /** Which of its outcomes is looked at. */
  trial: number | null;
  /** Lets a shove come to its end. */
  enough: () => void;
  /** Shows what a move would do, without making it; null shows the set as it is. */
  tryOut: (move: Move | null) => void;
  open: (data: SetData) => void;
  close: () => void;
  learn: (props: Prop[]) => void;
  apply: (change: Change) => "applied" | "known" | "behind";
  setVerb: (verb: Verb) => void;
  setSlip: (slip: Partial<SetDownSlip>) => void;
  select: (keys: string[]) => void;
  point: (key: string | null) => void;
  set: (
    some: Partial<
      Pick<
        StageState,
        | "line"
        | "seeThrough"
        | "isolated"
        | "note"
        | "here"
        | "stage"
        | "together"
        | "held"
        | "opened"
        | "ledger"
        | "history"
        | "preview"
        | "mended"
        | "swapping"
        | "tryOut"
        | "job"
        | "ended"
        | "lacking"
        | "boxed"
        | "trial"
        | "enough"
        | "dressers"
      >
    >,
  ) => void;
  setSteps: (steps: Partial<Steps>) => void;
  setBuild: (build: Partial<BuildSlip>) => void;
  setSettle: (settle: Partial<SettleSlip>) => void;
  setPour: (pour: Partial<PourSlip>) => void;
  busy: (by: 1 | -1) => void;
}

const NO_SET: Mirror = {
  name: "",
  tolerance: 0.0005,
  trolley: [],
  revision: -1,
  pieces: new Map(),
  regions: new Map(),
  ties: new Map(),
  recipes: new Map(),
  cutOuts: new Map(),
  propChanges: new Map(),
  fits: new Map(),
  canUndo: null,
  canRedo: null,
};

const NOTHING = {
  ...NO_SET,
  key: null,
  props: new Map<string, Prop>(),
  line: "joining" as LineState,
  saving: 0,
  selected: [] as string[],
  pointed: null,
  seeThrough: false,
  isolated: false,
  note: null,
  here: [] as Onlooker[],
  stage: "",
  own: true,
  dressers: [] as string[],
  held: false,
  opened: null,
  ledger: false,
  history: false,
  preview: null,
  mended: [] as Moved[],
  swapping: false,
  tryOut: () => undefined,
  enough: () => undefined,
  job: null as JobNews | null,
  ended: null as string | null,
  lacking: [] as Job["lacking"],
  boxed: [] as string[],
  trial: null as number | null,
};

export const useStage = create<StageState>((set, get) => ({
  ...NOTHING,
  verb: "look over",
  slip: PLAIN_SLIP,
  build: PLAIN_BUILD,
  settle: PLAIN_SETTLE,
  pour: PLAIN_POUR,
  steps: keptSteps(),
  together: true,
  open: (data) =>
    set((state) => ({
      ...mirrorOf(data),
      key: data.key,
      props: new Map([...state.props, ...data.props.map((p) => [p.key, p] as const)]),
      own: data.own,
      dressers: data.dressers,
      preview: null,
      selected: state.selected.filter((k) => data.pieces.some((p) => p.key === k)),
    })),
  close: () => set({ ...NOTHING, verb: "look over", slip: PLAIN_SLIP }),
  learn: (props) =>
    set((state) => ({ props: new Map([...state.props, ...props.map((p) => [p.key, p] as const)]) })),
  apply: (change) => {
    const state = get();
    const next = reduced(state, change);
    if (typeof next === "string") return next;
    set({
      ...next,
      selected: state.selected.filter((k) => next.pieces.has(k)),
      preview: null,
      pointed: state.pointed && next.pieces.has(state.pointed) ? state.pointed : null,
    });
    return "applied";
  },
  setVerb: (verb) => set({ verb, note: null, swapping: false, lacking: [] }),
  setSlip: (slip) =>
    set((state) => ({
      slip: { ...state.slip, ...slip },
      // What was said of the prop before is not true of this one.
      note: slip.prop !== undefined && slip.prop !== state.slip.prop ? null : state.note,
    })),
  select: (keys) => {
    if (!get().held) set({ selected: keys });
  },
  point: (key) => {
    if (get().pointed !== key) set({ pointed: key });
  },
  set: (some) => set(some),
  setSteps: (steps) =>
    set((state) => {
      keepSteps({ ...state.steps, ...steps });
      return { steps: { ...state.steps, ...steps } };
    }),
  setSettle: (settle) => set((state) => ({ settle: { ...state.settle, ...settle } })),
  setPour: (pour) => set((state) => ({ pour: { ...state.pour, ...pour } })),
  setBuild: (build) =>
    set((state) => ({
      build: { ...state.build, ...(build.kind ? BUILD_SIZES[build.kind] : {}), ...build },
    })),
  busy: (by) => set((state) => ({ saving: state.saving + by })),
}));

/** Just these parts of the state: a component draws again only when one of them changed. */
export function useParts<K extends keyof StageState>(...names: K[]): Pick<StageState, K> {
  return useStage(
    useShallow((state) => Object.fromEntries(names.map((n) => [n, state[n]])) as Pick<StageState, K>),
  );
}
