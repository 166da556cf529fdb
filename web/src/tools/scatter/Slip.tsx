import { limits } from "../../api/limits";
import { inCount, inLargeLength, inLength, inShares } from "../../slip/figures";
import { KeptRecipe, KeptRecipes, MoreWord } from "../../slip/recipeWords";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { useParts, useStage } from "../../state";
import type { Asking } from "../../state/scatter";
import { ActionButton, QuietButton } from "../../ui/buttons";
import { Clauses } from "./clauses/Clauses";
import { isLaid, lay, moreOf, pasteText, reRoll, whyNot } from "./recipes";

/** Metres from which things are thrown at first. */
const THROWN_FROM = 0.3;
const ASKED: Record<Exclude<Asking, null>, string> = {
  near: "Press on what it lies near to.",
  far: "Press on what it keeps away from.",
  "keep out": "Press on what nothing may be inside of.",
  "only inside": "Press on what all must be inside of.",
  area: "Press on the point that it lies round.",
  chalk: "Draw on the ground where it may lie; more strokes add to it.",
  "rub out": "Draw on the ground where it may not lie any more.",
  "box to keep out of": "Drag on the ground from corner to corner of a box that nothing may reach into.",
  "line to lie near": "Draw a line on the ground that it lies near to.",
  "line to keep off": "Draw a line on the ground that it keeps off.",
  "box to stay in": "Drag on the ground from corner to corner of a box that all stay in.",
};

export function ScatterSlip() {
  const { recipe, setRecipe, pieces, props, note, asking, saidOf, boxHeight, set, takeUp, openRecipe } =
    useParts(
      "boxHeight",
      "recipe",
      "setRecipe",
      "pieces",
      "props",
      "note",
      "asking",
      "saidOf",
      "set",
      "takeUp",
      "openRecipe",
    );
  const chosen = (
    <KeptRecipes kind="scatter" open={openRecipe} onTake={takeUp}>
      <QuietButton onClick={() => void pasteText()}>paste one</QuietButton>
    </KeptRecipes>
  );
  if (!recipe.props.length)
    return (
      <div>
        <p>
          Choose one prop or several from the trolley below; then press on the ground that they are to lie on.
        </p>
        {chosen}
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const grounds = recipe.on.map((key) => pieces.get(key)?.name ?? "what is gone");
  return (
    <div>
      <p>
        Scatter <Many />
        of{" "}
        {recipe.props.map((rule, k) => (
          <span key={rule.prop ?? k}>
            {k > 0 && (k === recipe.props.length - 1 ? " and " : ", ")}
            <strong className="text-clay-deep">{props.get(rule.prop ?? "")?.name ?? "a prop"}</strong>
            {recipe.props.length > 1 && <Share number={k} />}
          </span>
        ))}{" "}
        over{" "}
        {grounds.length ? (
          <strong>{grounds.join(" and ")}</strong>
        ) : (
          <span className="text-quiet">the ground you press next</span>
        )}
        ,{" "}
        <ChoiceWord
          label="pattern"
          value={recipe.pattern ?? "even"}
          onChange={(pattern) => setRecipe({ pattern })}
          choices={[
            { value: "even", words: "evenly" },
            { value: "random", words: "by pure chance" },
            { value: "clumped", words: "in clumps" },
          ]}
        />
        ,{" "}
        <ChoiceWord
          label="which way"
          value={recipe.throw_m != null ? "thrown" : (recipe.facing ?? "down")}
          onChange={(way) =>
            setRecipe(
              way === "thrown" ? { facing: "down", throw_m: THROWN_FROM } : { facing: way, throw_m: null },
            )
          }
          choices={[
            { value: "down", words: "lying" },
            { value: "thrown", words: "thrown" },
            { value: "up", words: "hanging" },
            { value: "surface", words: "on all its sides" },
          ]}
        />
        {recipe.throw_m != null && (
          <>
            {" "}
            from{" "}
            <NumberWord
              label="thrown from"
              value={recipe.throw_m}
              {...inLength}
              min={0.001}
              max={20}
              onChange={(throw_m) => setRecipe({ throw_m })}
            />{" "}
            above it
          </>
        )}
        , seed{" "}
        <NumberWord
          label="seed"
          value={recipe.seed ?? 1}
          {...inCount}
          {...limits("ScatterRecipe", "seed")}
          onChange={(seed) => setRecipe({ seed })}
        />
        {recipe.no_overlap !== "elbow" && (
          <>
            ,{" "}
            <ChoiceWord
              label="overlaps"
              value={recipe.no_overlap ?? "shape"}
              onChange={(no_overlap) => setRecipe({ no_overlap })}
              choices={[
                { value: "shape", words: "none in another" },
                { value: "none", words: "through each other" },
              ]}
            />
          </>
        )}
        <Clauses recipe={recipe} />.{" "}
        <MoreWord
          offered={moreOf(recipe, saidOf)}
          onChoose={(more) =>
            "asking" in more ? set({ asking: more.asking }) : more.put(useStage.getState())
          }
        />
        {recipe.props.length > 1 && (
          <>
            {" "}
            Sizes, turns and the like are said of{" "}
            <ChoiceWord
              label="said of"
              value={saidOf ?? ""}
              onChange={(of) => set({ saidOf: of || null })}
              choices={[
                { value: "", words: "all of them" },
                ...recipe.props.map((rule) => ({
                  value: rule.prop ?? "",
                  words: props.get(rule.prop ?? "")?.name ?? "a prop",
                })),
              ]}
            />
            .
          </>
        )}
      </p>
      {asking && (
        <p className="mt-1 border-l-4 border-clay pl-2 text-[14px]" role="status">
          {ASKED[asking]}{" "}
          {asking.startsWith("box") && (
            <>
              It is{" "}
              <NumberWord
                label="height of the box"
                value={boxHeight}
                {...inLargeLength}
                onChange={(height) => set({ boxHeight: height })}
              />{" "}
              high.{" "}
            </>
          )}
          <QuietButton onClick={() => set({ asking: null })}>
            {asking === "chalk" || asking === "rub out" ? "done" : "never mind"}
          </QuietButton>
        </p>
      )}
      <Doing />
      {chosen}
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet" data-testid="scatter-note">
        {note}
      </p>
    </div>
  );
}

function Many() {
  const { recipe, setRecipe } = useParts("recipe", "setRecipe");
  const dense = recipe.density_per_m2 != null;
  return (
    <>
      {dense ? (
        <NumberWord
          label="how many a square metre"
          value={recipe.density_per_m2 ?? 4}
          {...inShares}
          max={10_000}
          onChange={(density_per_m2) => setRecipe({ density_per_m2 })}
        />
      ) : (
        <NumberWord
          label="how many"
          value={recipe.count ?? 40}
          {...inCount}
          {...limits("ScatterRecipe", "count")}
          onChange={(count) => setRecipe({ count })}
        />
      )}{" "}
      <ChoiceWord
        label="how many are meant"
        value={dense ? "density" : "count"}
        onChange={(v) =>
          setRecipe(v === "count" ? { count: 40, density_per_m2: null } : { count: null, density_per_m2: 4 })
        }
        choices={[
          { value: "count", words: "in all" },
          { value: "density", words: "a square metre" },
        ]}
      />{" "}
    </>
  );
}

function Share({ number }: { number: number }) {
  const { recipe, setProps } = useParts("recipe", "setProps");
  return (
    <>
      {" "}
      (
      <NumberWord
        label={`share of prop ${number + 1}`}
        value={recipe.props[number]?.share ?? 1}
        {...inShares}
        max={1000}
        onChange={(share) => setProps({ share }, number)}
      />
      )
    </>
  );
}

/** What is done with the recipe: laid, laid anew, chosen, forgotten. */
function Doing() {
  const { recipe, setRecipe, openRecipe, recipes, saving, recipeName, set, takeUp } = useParts(
    "recipe",
    "setRecipe",
    "openRecipe",
    "recipes",
    "saving",
    "recipeName",
    "set",
    "takeUp",
  );
  const record = openRecipe === null ? undefined : recipes.get(openRecipe);
  const why = saving
    ? "It is being laid."
    : (whyNot(recipe) ?? (record && isLaid() ? "It lies so." : undefined));
  return (
    <>
      <p className="mt-2">
        <ActionButton onClick={() => void lay()} disabled={why !== undefined} why={why}>
          {record ? "Lay it again" : "Lay it"}
        </ActionButton>
      </p>
      {record && (
        <KeptRecipe
          record={record}
          recipe={recipe}
          name={recipeName}
          stand="lie"
          onExceptions={(exceptions) => setRecipe({ exceptions })}
          onName={(name) => set({ recipeName: name })}
          onRoll={reRoll}
          onForgotten={() => takeUp(null)}
        />
      )}
      {record && <Shown />}
    </>
  );
}

/** Thousands hide the set that they lie on: fewer of them are drawn then, and all of them lie there. */
function Shown() {
  const { shownShare, set } = useParts("shownShare", "set");
  return (
    <p className="mt-1 text-[14px]">
      Of all that recipes laid,{" "}
      <ChoiceWord
        label="how many are drawn"
        value={String(shownShare)}
        onChange={(v) => set({ shownShare: Number(v) })}
        choices={[
          { value: "1", words: "all" },
          { value: "0.5", words: "half" },
          { value: "0.25", words: "a quarter" },
          { value: "0.1", words: "a tenth" },
        ]}
      />{" "}
      {shownShare < 1 ? "are drawn; the others lie there, too." : "are drawn."}
    </p>
  );
}
