/** The clauses of a scatter recipe that may be left out, as words of its sentence. */
import { Said } from "../../../slip/recipeWords";
import { useParts, useStage } from "../../../state";
import type { Recipe } from "../../../state/scatter";
import { CLAUSES, differs, spokenOf } from "../recipes";
import { HOW } from "./how";
import { WHERE } from "./where";

const WORDS = { ...WHERE, ...HOW };

export function Clauses({ recipe }: { recipe: Recipe }) {
  const { saidOf } = useParts("saidOf");
  const only = spokenOf({ recipe, saidOf });
  const rule = recipe.props[only ?? 0] ?? {};
  return CLAUSES.filter((clause) => clause.here(recipe, saidOf)).map((clause) => {
    const Words = WORDS[clause.id]!;
    return (
      <Said
        key={clause.id}
        id={clause.id}
        words={clause.words}
        onDrop={() => clause.drop(useStage.getState())}
      >
        {only === null && clause.field && differs(recipe, clause.field) ? (
          `${clause.words.replace("…", "")}, each in its own way`
        ) : (
          <Words recipe={recipe} rule={rule} only={only} />
        )}
      </Said>
    );
  });
}
