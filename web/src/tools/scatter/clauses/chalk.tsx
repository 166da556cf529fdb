/** The clause of chalk on the ground. */
import { inLargeLength } from "../../../slip/figures";
import { NumberWord } from "../../../slip/words";
import { useParts } from "../../../state";
import { recipeOf } from "../../../state/scatter";
import { QuietButton } from "../../../ui/buttons";
import type { ClauseProps } from "./clause";

export function Chalked({ recipe }: ClauseProps) {
  const { set, chalkWidth } = useParts("set", "chalkWidth");
  const chalk = recipe.rules!.chalk!;
  return (
    <>
      {chalk[0]!.weight === 0 ? "not where it is chalked" : "where it is chalked"} (
      <span className="figure">{chalk.length}</span> {chalk.length === 1 ? "stroke" : "strokes"},{" "}
      <NumberWord
        label="width of the chalk"
        value={chalkWidth}
        {...inLargeLength}
        onChange={(width) => set({ chalkWidth: width })}
      />{" "}
      wide: <QuietButton onClick={() => set({ asking: "chalk" })}>chalk</QuietButton>{" "}
      <QuietButton onClick={() => set({ asking: "rub out" })}>rub out</QuietButton>
      <ChalkedModels />)
    </>
  );
}

/** The chalk of a recipe that is laid, as vertex colours of what it lies on. */
function ChalkedModels() {
  const {
    recipe,
    openRecipe,
    recipes,
    pieces,
    key: set,
  } = useParts("recipe", "openRecipe", "recipes", "pieces", "key");
  const kept = openRecipe === null ? undefined : recipes.get(openRecipe);
  const chalked = (kept && recipeOf(kept).rules?.chalk?.length) ?? 0;
  return recipe.on
    .filter((key) => chalked && pieces.has(key))
    .map((key) => (
      <span key={key}>
        {" "}
        <a
          className="word"
          href={`/api/sets/${set}/recipes/${openRecipe}/chalk/${key}.glb`}
          download
          title="The model with its chalk as vertex colours: black where there is none, white where all of it."
        >
          save it as colours of {pieces.get(key)!.name}
        </a>
      </span>
    ));
}
