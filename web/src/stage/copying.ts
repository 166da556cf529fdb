/** Copies of what is selected, as it stands, and once more by the same step. */
import type { Change, Move, Triple } from "../api/client";
import { piecesOf } from "../api/mirror";
import { useStage } from "../state";
import { make } from "./making";
import { selectingMade } from "./selectingMade";

type Copy = Extract<Move, { kind: "copy" }>;

export const copyOf = (keys: string[], by: Triple, to_free_place = false): Copy => ({
  kind: "copy",
  pieces: keys,
  by,
  to_free_place,
});

/** Make a move that copies; the copies are selected, and what they are copies of is remembered. */
export async function makeCopies(move: Copy): Promise<Change | null> {
  const select = selectingMade();
  const change = await make(move);
  if (!change) return null;
  const to = piecesOf(change.deltas).map(([key]) => key);
  useStage.getState().set({ lastCopy: { from: move.pieces, to } });
  select(to);
  return change;
}

/** The step from what was copied last to where its copies stand now; null where either is gone. */
export function lastStep(): { keys: string[]; by: Triple } | null {
  const { lastCopy, pieces } = useStage.getState();
  const [from, to] = [lastCopy?.from[0], lastCopy?.to[0]].map((key) => pieces.get(key ?? "")?.pose.position);
  if (!lastCopy || !from || !to) return null;
  const keys = lastCopy.to.filter((key) => pieces.has(key));
  return { keys, by: [to[0] - from[0], to[1] - from[1], to[2] - from[2]] };
}

/** Copy the last copies once more, by the step that led to them. */
export async function copyAgain(): Promise<void> {
  const step = lastStep();
  if (step) await makeCopies(copyOf(step.keys, step.by));
}
