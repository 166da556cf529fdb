/** What a recipe laid, and its numbers written over it. */
import type { Piece, Triple } from "../api/client";
import type { Scene } from "../stage/layers";
import type { StageView } from "../stage/view";
import { useStage } from "../state";

/** The pieces of a recipe that are drawn; none of no recipe. */
export function laidBy(recipe: string | null, view: StageView): Piece[] {
  if (recipe === null) return [];
  return [...useStage.getState().pieces.values()].filter((p) => p.recipe === recipe && view.pieces.draws(p));
}

export function numbersOf(recipe: string | null, view: StageView): Scene["flags"] {
  const { props } = useStage.getState();
  return laidBy(recipe, view).flatMap(({ pose, prop, number }) => {
    const height = (props.get(prop)?.height ?? 0) * Math.abs(pose.scale[1]);
    const [x, y, z] = pose.position;
    return number === null ? [] : [{ at: [x, y + height, z] as Triple, text: String(number) }];
  });
}
