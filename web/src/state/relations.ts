/** Joining, lining up and ties: the sentences of those verbs, and what is shown of them. */
import type { StateCreator } from "zustand";

import type { Triple } from "../api/client";
import type { Caught } from "../api/live";

export interface JoinSlip {
  /** The mover's seat by name; null: the first free one that goes with what it is joined to. */
  seat: string | null;
  /** Degrees about the facing of the target. */
  turn: number;
  flip: boolean;
  keep: boolean;
}

/** What was joined last: the same is done again with one press. */
export interface LastJoin {
  prop: string;
  seat: string;
  toSeat: string;
  /** The piece that came. */
  made: string;
}

export type Side = "low" | "middle" | "high" | "touch";

export interface LineUpSlip {
  way: "sides" | "points" | "edges" | "hang" | "row";
  mine: Side;
  theirs: Side;
  axis: "across" | "up" | "along";
  squareTo: "world" | "target";
  gap: number;
  mode: "each" | "together" | "spread";
  keep: boolean;
  /** How many stand in a row. */
  count: number;
}

/** Something picked: on the mover, or where that is to go. */
export interface Picked {
  piece: string;
  what: Caught["what"];
  point: Triple;
  ends: [Triple, Triple] | null;
}

export interface RelationsSlice {
  join: JoinSlip;
  lastJoin: LastJoin | null;
  lineUp: LineUpSlip;
  /** What pieces are lined up with. */
  target: string | null;
  /** Picked points or edges, those of the mover and where they go in turn. */
  picked: Picked[];
  /** Ties are drawn. */
  tiesShown: boolean;
  /** Ties that were in the way of the last move. */
  tiesInTheWay: string[];
  setJoin: (join: Partial<JoinSlip>) => void;
  setLineUp: (lineUp: Partial<LineUpSlip>) => void;
}

const PLAIN_JOIN: JoinSlip = { seat: null, turn: 0, flip: false, keep: true };
const PLAIN_LINE_UP: LineUpSlip = {
  way: "sides",
  mine: "low",
  theirs: "high",
  axis: "along",
  squareTo: "world",
  gap: 0,
  mode: "each",
  keep: false,
  count: 5,
};

export const relationsSlice: StateCreator<RelationsSlice> = (set) => ({
  join: PLAIN_JOIN,
  lastJoin: null,
  lineUp: PLAIN_LINE_UP,
  target: null,
  picked: [],
  tiesShown: true,
  tiesInTheWay: [],
  setJoin: (join) => set((state) => ({ join: { ...state.join, ...join } })),
  setLineUp: (lineUp) =>
    set((state) => ({
      lineUp: { ...state.lineUp, ...lineUp },
      picked: lineUp.way && lineUp.way !== state.lineUp.way ? [] : state.picked,
    })),
});
