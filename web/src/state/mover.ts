/** How what is selected moves: pieces stay seated, bearers go just so far, with what stands on them or without.
 *
 * Pointer, keys and figures all ask here, never what it is that they move.
 */
import type { Move, Piece, Triple } from "../api/client";
import { useStage } from ".";
import { withWhatRestsOn } from "./families";

const isBearer = (key: string): boolean => useStage.getState().pieces.get(key)?.role === "bearer";

/** Whether bearers are among these: then they go as one, and nothing is set down anew. */
export const bearing = (keys: string[]): boolean => keys.some(isBearer);

/** Those of `keys` that can be moved; spiked ones stay. */
export function movable(keys: string[]): string[] {
  const { pieces } = useStage.getState();
  return keys.filter((key) => pieces.has(key) && !pieces.get(key)?.spiked);
}

export function slideOf(keys: string[], by: Triple): Move {
  const { together, loadComesAlong } = useStage.getState();
  if (bearing(keys)) return { kind: "shift", pieces: keys, by, alone: !loadComesAlong };
  return { kind: "slide", pieces: keys, by, together };
}

export function turnOf(keys: string[], angle_deg: number): Move {
  const { together, loadComesAlong } = useStage.getState();
  if (bearing(keys)) return { kind: "shift", pieces: keys, angle_deg, alone: !loadComesAlong };
  return { kind: "turn", pieces: keys, angle_deg, together };
}

/** Up by so many metres: a piece from its own sink or stand-off. */
export function raiseOf(keys: string[], by: number): Move {
  if (bearing(keys)) return slideOf(keys, [0, by, 0]);
  return { kind: "bed", pieces: keys, raise_by: by };
}

/** Freely through the air. */
export const carryOf = (keys: string[], by: Triple): Move =>
  bearing(keys) ? slideOf(keys, by) : { kind: "carry", pieces: keys, by };

/** What stands on a bearer, or on what does. */
export function loadOf(key: string): Piece[] {
  const { pieces, fits } = useStage.getState();
  return withWhatRestsOn([key], fits).flatMap((other) => (other === key ? [] : (pieces.get(other) ?? [])));
}
