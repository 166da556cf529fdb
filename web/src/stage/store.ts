/** The state of one open stage: the set as the server has it, and what the dresser is doing with it. */
import { create } from "zustand";

import type { Change, Fit, Piece, Prop, SetData } from "../api/client";
import type { LineState } from "../api/live";

export const VERBS = ["set down", "look over", "repair"] as const;
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
};

interface StageState {
  key: string | null;
  name: string;
  tolerance: number;
  revision: number;
  pieces: ReadonlyMap<string, Piece>;
  fits: ReadonlyMap<string, Fit>;
  props: ReadonlyMap<string, Prop>;
  canUndo: string | null;
  canRedo: string | null;
  line: LineState;
  saving: number;
  verb: Verb;
  slip: SetDownSlip;
  selected: string[];
  pointed: string | null;
  seeThrough: boolean;
  isolated: boolean;
  note: string | null;
  open: (data: SetData) => void;
  close: () => void;
  learn: (props: Prop[]) => void;
  apply: (change: Change) => "applied" | "known" | "behind";
  setVerb: (verb: Verb) => void;
  setSlip: (slip: Partial<SetDownSlip>) => void;
  select: (keys: string[]) => void;
  point: (key: string | null) => void;
  set: (some: Partial<Pick<StageState, "line" | "seeThrough" | "isolated" | "note">>) => void;
  busy: (by: 1 | -1) => void;
}

const NOTHING = {
  key: null,
  name: "",
  tolerance: 0.0005,
  revision: -1,
  pieces: new Map<string, Piece>(),
  fits: new Map<string, Fit>(),
  props: new Map<string, Prop>(),
  canUndo: null,
  canRedo: null,
  line: "joining" as LineState,
  saving: 0,
  selected: [] as string[],
  pointed: null,
  seeThrough: false,
  isolated: false,
  note: null,
};

export const useStage = create<StageState>((set, get) => ({
  ...NOTHING,
  verb: "look over",
  slip: PLAIN_SLIP,
  open: (data) =>
    set((state) => ({
      key: data.key,
      name: data.name,
      tolerance: data.tolerance,
      revision: data.revision,
      pieces: new Map(data.pieces.map((p) => [p.key, p])),
      fits: new Map(data.fits.map((f) => [f.key, f])),
      props: new Map([...state.props, ...data.props.map((p) => [p.key, p] as const)]),
      canUndo: data.can_undo ?? null,
      canRedo: data.can_redo ?? null,
      selected: state.selected.filter((k) => data.pieces.some((p) => p.key === k)),
    })),
  close: () => set({ ...NOTHING, verb: "look over", slip: PLAIN_SLIP }),
  learn: (props) =>
    set((state) => ({ props: new Map([...state.props, ...props.map((p) => [p.key, p] as const)]) })),
  apply: (change) => {
    const state = get();
    if (change.revision <= state.revision) return "known";
    if (change.revision > state.revision + 1) return "behind";
    const pieces = new Map(state.pieces);
    const fits = new Map(state.fits);
    for (const { key, piece } of change.deltas) {
      if (piece) pieces.set(key, piece);
      else {
        pieces.delete(key);
        fits.delete(key);
      }
    }
    for (const fit of change.fits) fits.set(fit.key, fit);
    set({
      pieces,
      fits,
      revision: change.revision,
      canUndo: change.can_undo ?? null,
      canRedo: change.can_redo ?? null,
      selected: state.selected.filter((k) => pieces.has(k)),
      pointed: state.pointed && pieces.has(state.pointed) ? state.pointed : null,
    });
    return "applied";
  },
  setVerb: (verb) => set({ verb, note: null }),
  setSlip: (slip) => set((state) => ({ slip: { ...state.slip, ...slip } })),
  select: (keys) => set({ selected: keys }),
  point: (key) => {
    if (get().pointed !== key) set({ pointed: key });
  },
  set: (some) => set(some),
  busy: (by) => set((state) => ({ saving: state.saving + by })),
}));
