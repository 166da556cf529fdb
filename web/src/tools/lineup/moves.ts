/** The move that the sentence of lining up comes to, for what is selected and picked now. */
import * as THREE from "three";

import type { Move, Piece, Triple } from "../../api/client";
import { matrixOf } from "../../drawing/matrixOf";
import { useStage } from "../../state";
import type { LineUpSlip, Picked } from "../../state/relations";

/** The words of each side along each axis. */
export const SIDE_WORDS: Record<LineUpSlip["axis"], Record<"low" | "high", string>> = {
  across: { low: "the left side", high: "the right side" },
  up: { low: "the bottom", high: "the top" },
  along: { low: "the back", high: "the front" },
};

function inPiece(piece: Piece, point: Triple): Triple {
  return new THREE.Vector3(...point).applyMatrix4(matrixOf(piece.pose).invert()).toArray();
}

/** Pairs of picks: one of the mover, and where it goes. */
export function pairsOf(picked: Picked[]): [Picked, Picked][] {
  const pairs: [Picked, Picked][] = [];
  for (let i = 0; i + 1 < picked.length; i += 2) pairs.push([picked[i]!, picked[i + 1]!]);
  return pairs;
}

/** Null where something is still to be pressed. */
export function lineUpMove(): Move | null {
  const { lineUp, selected, target, picked, pieces } = useStage.getState();
  const first = pieces.get(selected[0] ?? "");
  if (!first) return null;
  if (lineUp.way === "points" || lineUp.way === "edges") {
    const pairs = pairsOf(picked);
    if (!pairs.length) return null;
    if (lineUp.way === "points")
      return {
        kind: "lay_on",
        piece: first.key,
        points: pairs.map(([mine]) => inPiece(first, mine.point)),
        onto: pairs.map(([, theirs]) => theirs.point),
      };
    const [mine, theirs] = pairs[0]!;
    if (!mine.ends || !theirs.ends) return null;
    return {
      kind: "beside",
      piece: first.key,
      edge: [inPiece(first, mine.ends[0]), inPiece(first, mine.ends[1])],
      onto: theirs.ends,
      gap_m: Math.max(0, lineUp.gap),
    };
  }
  if (lineUp.way === "row") {
    const near = picked.at(-1);
    if (!near) return null;
    const { prop } = first;
    return { kind: "row", prop, on: near.piece, near: near.point, count: lineUp.count, offset_m: lineUp.gap };
  }
  if (lineUp.way === "hang") return target ? { kind: "hang", piece: first.key, to: target } : null;
  if (lineUp.mode === "spread" && selected.length > 2)
    return { kind: "line_up", pieces: selected, axis: lineUp.axis, mode: "spread" };
  if (!target) return null;
  return {
    kind: "line_up",
    pieces: selected,
    to: target,
    axis: lineUp.axis,
    mine: lineUp.mine,
    theirs: lineUp.theirs,
    gap_m: lineUp.gap,
    mode: lineUp.mode === "spread" ? "each" : lineUp.mode,
    square_to: lineUp.squareTo,
    keep: lineUp.keep,
  };
}
