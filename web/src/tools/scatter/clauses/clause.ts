/** What the words of a clause are made from. */
import type { ReactNode } from "react";

import type { PropRule, Recipe } from "../../../state/scatter";

/** `only`: which prop of the recipe is spoken of; null when all are. `rule`: of that prop, or of the first. */
export interface ClauseProps {
  recipe: Recipe;
  rule: Partial<PropRule>;
  only: number | null;
}

export type ClauseWords = (props: ClauseProps) => ReactNode;
