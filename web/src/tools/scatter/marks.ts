/** What is shown of the recipe in hand: numbers on its pieces, dots where it would lie as it is now, its elbow room, and what its boxes
 * are pulled by. */
import type { Piece, Triple } from "../../api/client";
import type { Shown } from "../../stage/layers";
import type { Ring } from "../../stage/rings";
import type { StageView } from "../../stage/view";
import { useStage } from "../../state";
import type { Recipe } from "../../state/scatter";
import { handlesOf } from "../boxes";
import { laidBy, numbersOf } from "../numbers";
import { boxesInHand } from "./recipes";

export function marks(view: StageView): Partial<Shown> {
  const { openRecipe, dots, recipe, barred } = useStage.getState();
  return {
    flags: numbersOf(openRecipe, view),
    handles: handlesOf(boxesInHand()),
    dots,
    barred,
    rings: ringsOf(laidBy(openRecipe, view), recipe, dots),
  };
}

/** The elbow room of what a recipe laid, or of the dots where it would lie; none where it keeps none. */
export function ringsOf(laid: Piece[], recipe: Recipe, dots: number[]): Ring[] {
  if (recipe.no_overlap !== "elbow") return [];
  const radii = new Map(recipe.props.map((rule) => [rule.prop, rule.elbow_room_m ?? 0]));
  if (!dots.length)
    return laid.flatMap(({ prop, pose }) => {
      const radius = radii.get(prop) ?? 0;
      return radius > 0 ? [{ at: pose.position, radius }] : [];
    });
  // Which prop comes to a dot is not known yet: where they keep different room, it is the least.
  const radius = Math.min(...radii.values());
  if (!(radius > 0)) return [];
  return Array.from({ length: dots.length / 3 }, (_, n) => ({
    at: dots.slice(3 * n, 3 * n + 3) as Triple,
    radius,
  }));
}
