/** Moves that the server computes for a while: how far each is, by the name that it was asked by. */
import type { StateCreator } from "zustand";

import type { Piece } from "../api/client";

export interface UnderWay {
  ask: string;
  done: number;
  /** 0 where nobody knows it. */
  total: number;
  /** It was asked to be given up. */
  stopping: boolean;
  /** What it has placed so far, where that can be seen. */
  pieces: Piece[];
}

export interface UnderWaySlice {
  /** Moves that this stage asked for, as far as the server has told of them. */
  underWay: UnderWay[];
  hearUnderWay: (ask: string, done: number, total: number, pieces: Piece[]) => void;
  stopping: (ask: string) => void;
  endUnderWay: (ask: string) => void;
}

export const underWaySlice: StateCreator<UnderWaySlice> = (set) => ({
  underWay: [],
  hearUnderWay: (ask, done, total, pieces) =>
    set(({ underWay }) => {
      const known = underWay.find((move) => move.ask === ask);
      const seen = pieces.length ? [...(known?.pieces ?? []), ...pieces] : (known?.pieces ?? []);
      const now = { ask, done, total, stopping: known?.stopping ?? false, pieces: seen };
      return { underWay: known ? underWay.map((move) => (move === known ? now : move)) : [...underWay, now] };
    }),
  stopping: (ask) =>
    set(({ underWay }) => ({
      underWay: underWay.map((move) => (move.ask === ask ? { ...move, stopping: true } : move)),
    })),
  endUnderWay: (ask) => set(({ underWay }) => ({ underWay: underWay.filter((move) => move.ask !== ask) })),
});
