/** The set that is open: its mirror, the line to it, who else is here. */
import type { StateCreator } from "zustand";

import type { Change, Fit, Prop, SetData } from "../api/client";
import type { LineState, Onlooker } from "../api/live";
import { type Mirror, mirrorOf, reduced } from "../api/mirror";
import type { PanelsSlice } from "./panels";
import type { SelectionSlice } from "./selection";
import type { ToolsSlice } from "./tools";

export interface OpenSlice extends Mirror {
  key: string | null;
  /** The props of what stands, and of what was chosen to be set down or poured. */
  props: ReadonlyMap<string, Prop>;
  line: LineState;
  /** Changes that are on their way. */
  saving: number;
  /** Who has the set open, this stage among them. */
  here: Onlooker[];
  stage: string;
  own: boolean;
  dressers: string[];
  open: (data: SetData) => void;
  close: () => void;
  learn: (props: Prop[]) => void;
  apply: (change: Change) => "applied" | "known" | "behind";
  /** How deep pieces are in others, in the set at a revision. */
  hearMeasured: (revision: number, fits: Fit[]) => void;
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
  measures: new Map(),
  shapes: new Map(),
  canUndo: null,
  canRedo: null,
};

const NOTHING_OPEN = {
  ...NO_SET,
  key: null,
  props: new Map<string, Prop>(),
  line: "joining" as LineState,
  saving: 0,
  here: [] as Onlooker[],
  stage: "",
  own: true,
  dressers: [] as string[],
};

const byKey = (props: Prop[]) => props.map((p) => [p.key, p] as const);

/** The fits of a set that has come whole. How deep a piece is may have been told on the line while that was on its way. */
function knownBest(data: SetData, now: OpenSlice): ReadonlyMap<string, Fit> {
  const same = now.key === data.key && now.revision === data.revision;
  return new Map(
    data.fits.map((fit) => [fit.key, (same && fit.deeper && now.fits.get(fit.key)) || fit] as const),
  );
}

/** What is about pieces, and goes with them; and how somebody likes to work. */
type Beside = SelectionSlice & PanelsSlice & ToolsSlice;

export const openSlice: StateCreator<OpenSlice & Beside, [], [], OpenSlice> = (set, get, api) => ({
  ...NOTHING_OPEN,
  open: (data) =>
    set((state) => ({
      ...mirrorOf(data),
      fits: knownBest(data, state),
      key: data.key,
      props: new Map([...state.props, ...byKey(data.props)]),
      own: data.own,
      dressers: data.dressers,
      preview: null,
      selected: state.selected.filter((k) => data.pieces.some((p) => p.key === k)),
    })),
  close: () => {
    const { steps, together, build, settle, pour } = get();
    // How somebody likes to work is the same on the next set.
    set({ ...api.getInitialState(), steps, together, build, settle, pour });
  },
  hearMeasured: (revision, fits) => {
    const now = get();
    if (revision === now.revision)
      set({ fits: new Map([...now.fits, ...fits.map((f) => [f.key, f] as const)]) });
  },
  learn: (props) => set((state) => ({ props: new Map([...state.props, ...byKey(props)]) })),
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
  busy: (by) => set((state) => ({ saving: state.saving + by })),
});
