/** What the scatter slip does with its recipe: props, clauses, laying, and the recipe as text. */
import { tell } from "../../ui/telling";

import { make, oneAtATime } from "../../stage/making";
import { useStage } from "../../state";
import { type Asking, type Far, type Near, type PropRule, type Recipe, recipeOf } from "../../state/scatter";
import { sameRecipe } from "../../state/recipes";
import type { StageState } from "../../state";
import type { DrawnBox } from "../boxDrag";
import { type Box, PAPER_BOX, boxesOf } from "../boxes";
import { clipboard } from "../../ui/clipboard";

/** A clause of the sentence that may be left out: how it is put in, and how it is taken out again. */
export interface Clause {
  id: string;
  /** How the list of more clauses names it. */
  words: string;
  /** It is only for recipes of several props. */
  several?: boolean;
  /** What it says of a prop, which may be said of each by itself. */
  field?: keyof PropRule;
  /** `of`: the prop that is spoken of, null for all of them. */
  here: (recipe: Recipe, of: string | null) => boolean;
  put: (state: StageState) => void;
  drop: (state: StageState) => void;
}

const some = (recipe: Recipe, of: string | null, holds: (rule: PropRule) => boolean) =>
  recipe.props.some((rule) => (of === null || rule.prop === of) && holds(rule));
/** The number of the prop that is spoken of; null for all of them. */
export function spokenOf({ recipe, saidOf }: Pick<StageState, "recipe" | "saidOf">): number | null {
  const number = recipe.props.findIndex((rule) => saidOf !== null && rule.prop === saidOf);
  return number < 0 ? null : number;
}
/** Whether a word is said of each prop by itself, in other ways. */
export function differs(recipe: Recipe, field: keyof PropRule): boolean {
  const said = recipe.props.map((rule) => JSON.stringify(rule[field] ?? null));
  return new Set(said).size > 1;
}
/** Clauses of one prop beside the others are said of the one that was taken into the recipe last. */
const last = (state: StageState) => state.recipe.props.length - 1;
const asks = (state: StageState, asking: Asking) => state.set({ asking });
const same = (range: [number, number] | undefined, value: number) =>
  !range || (range[0] === value && range[1] === value);

export const CLAUSES: Clause[] = [
  {
    id: "slope",
    words: "where it is flatter than…",
    here: (r) => !!r.rules?.slope_deg,
    put: (s) => s.setRules({ slope_deg: [0, 20] }),
    drop: (s) => s.setRules({ slope_deg: null }),
  },
  {
    id: "height",
    words: "between two heights…",
    here: (r) => !!r.rules?.height_m,
    put: (s) => s.setRules({ height_m: [0, 2] }),
    drop: (s) => s.setRules({ height_m: null }),
  },
  {
    id: "near",
    words: "near to something…",
    here: (r) => !!r.rules?.near?.length,
    put: (s) => asks(s, "near"),
    drop: (s) => s.setRules({ near: [] }),
  },
  {
    id: "far",
    words: "far from something…",
    here: (r) => !!r.rules?.far?.length,
    put: (s) => asks(s, "far"),
    drop: (s) => s.setRules({ far: [] }),
  },
  {
    id: "area",
    words: "round a point…",
    here: (r) => !!r.rules?.area,
    put: (s) => asks(s, "area"),
    drop: (s) => s.setRules({ area: null }),
  },
  {
    id: "chalk",
    words: "where it is chalked…",
    here: (r) => !!r.rules?.chalk?.length,
    put: (s) => asks(s, "chalk"),
    drop: (s) => s.setRules({ chalk: [] }),
  },
  {
    id: "paint",
    words: "where its model is painted…",
    here: (r) => !!r.rules?.paint?.length,
    put: (s) => s.setRules({ paint: [{ channel: "light", on: null, reverse: false }] }),
    drop: (s) => s.setRules({ paint: [] }),
  },
  {
    id: "keep out",
    words: "never inside of something…",
    here: (r) => !!r.keep_out?.length,
    put: (s) => asks(s, "keep out"),
    drop: (s) => s.setRecipe({ keep_out: [] }),
  },
  {
    id: "only inside",
    words: "only inside of something…",
    here: (r) => !!r.only_inside?.length,
    put: (s) => asks(s, "only inside"),
    drop: (s) => s.setRecipe({ only_inside: [] }),
  },
  {
    id: "size",
    words: "of different sizes…",
    field: "size",
    here: (r, of) => some(r, of, (rule) => !same(rule.size, 1)),
    put: (s) => s.setProps({ size: [0.9, 1.15] }, spokenOf(s)),
    drop: (s) => s.setProps({ size: [1, 1] }, spokenOf(s)),
  },
  {
    id: "proportions",
    words: "of different proportions…",
    field: "size_up",
    here: (r, of) => some(r, of, (rule) => !same(rule.size_up, 1)),
    put: (s) => s.setProps({ size_up: [0.9, 1.1] }, spokenOf(s)),
    drop: (s) => s.setProps({ size_up: [1, 1] }, spokenOf(s)),
  },
  {
    id: "turn",
    words: "turned in steps…",
    field: "turn_step_deg",
    here: (r, of) => some(r, of, (rule) => (rule.turn_step_deg ?? 0) > 0),
    put: (s) => s.setProps({ turn_step_deg: 45 }, spokenOf(s)),
    drop: (s) => s.setProps({ turn_step_deg: 0 }, spokenOf(s)),
  },
  {
    id: "tip",
    words: "tipped a little…",
    field: "tip_across_deg",
    here: (r, of) => some(r, of, (rule) => !same(rule.tip_across_deg, 0)),
    put: (s) => s.setProps({ tip_across_deg: [-10, 10], tip_along_deg: [-10, 10] }, spokenOf(s)),
    drop: (s) => s.setProps({ tip_across_deg: [0, 0], tip_along_deg: [0, 0] }, spokenOf(s)),
  },
  {
    id: "lean",
    words: "leaning with the ground…",
    field: "lean",
    here: (r, of) => some(r, of, (rule) => (rule.lean ?? 0) > 0),
    put: (s) => s.setProps({ lean: 1 }, spokenOf(s)),
    drop: (s) => s.setProps({ lean: 0 }, spokenOf(s)),
  },
  {
    id: "sink",
    words: "sunk into the ground…",
    field: "sink_m",
    here: (r, of) => some(r, of, (rule) => (rule.sink_m ?? 0) > 0),
    put: (s) => s.setProps({ sink_m: 0.01 }, spokenOf(s)),
    drop: (s) => s.setProps({ sink_m: 0 }, spokenOf(s)),
  },
  {
    id: "elbow",
    field: "elbow_room_m",
    words: "keeping elbow room…",
    here: (r) => r.no_overlap === "elbow",
    put: (s) => {
      s.setRecipe({ no_overlap: "elbow" });
      s.setProps({ elbow_room_m: 0.12 }, null);
    },
    drop: (s) => {
      s.setRecipe({ no_overlap: "shape" });
      s.setProps({ elbow_room_m: 0 }, null);
    },
  },
  {
    id: "gather",
    words: "gathered round the others…",
    several: true,
    here: (r) => r.props.some((rule) => rule.gather_m != null),
    put: (s) => s.setProps({ gather_m: 0.5 }, last(s)),
    drop: (s) => s.setProps({ gather_m: null }, null),
  },
  {
    id: "clear",
    words: "keeping off the others…",
    several: true,
    here: (r) => r.props.some((rule) => rule.clear_m != null),
    put: (s) => s.setProps({ clear_m: 0.5 }, last(s)),
    drop: (s) => s.setProps({ clear_m: null }, null),
  },
];

/** Other ways to begin a clause, which may be said already: what is pressed or drawn next adds to it. */
export const ADDITIONS: { asking: Exclude<Asking, null>; words: string; to?: string }[] = [
  { asking: "near", words: "near to one more thing…", to: "near" },
  { asking: "far", words: "far from one more thing…", to: "far" },
  { asking: "keep out", words: "never inside of one more thing…", to: "keep out" },
  { asking: "line to lie near", words: "near to a line that you draw…" },
  { asking: "line to keep off", words: "off a line that you draw…" },
  { asking: "box to keep out of", words: "a box to keep out of…" },
  { asking: "box to stay in", words: "a box to stay in…" },
];

/** Distances that need nothing to be pressed on. */
const EDGES: Pick<Clause, "words" | "here" | "put">[] = [
  {
    words: "near to the edge of the ground…",
    here: (r) => !!r.rules?.near?.some((rule) => rule.edge),
    put: (s) => addNear(s, { edge: true, within_m: 0.3 }),
  },
  {
    words: "off the edge of the ground…",
    here: (r) => !!r.rules?.far?.some((rule) => rule.edge),
    put: (s) => addFar(s, { edge: true, beyond_m: 0.1 }),
  },
];

const NOTHING_NAMED = { of: null, kind: null, edge: false, line: null, fade_m: 0 };

export function addNear(state: StageState, some: Partial<Near>): void {
  const rule: Near = { ...NOTHING_NAMED, within_m: 1, ...some };
  state.setRules({ near: [...(state.recipe.rules?.near ?? []), rule] });
}

export function addFar(state: StageState, some: Partial<Far>): void {
  const rule: Far = { ...NOTHING_NAMED, beyond_m: 0.5, ...some };
  state.setRules({ far: [...(state.recipe.rules?.far ?? []), rule] });
}

/** Chalk may begin by being rubbed out; once there is some, the sentence itself has both words. */
const RUB_OUT = { asking: "rub out" as const, words: "not where it is chalked…" };

/** What the list of more clauses offers. */
export function moreOf(
  recipe: Recipe,
  of: string | null = null,
): (Pick<Clause, "words" | "put"> | (typeof ADDITIONS)[number])[] {
  const here = new Set(CLAUSES.filter((clause) => clause.here(recipe, of)).map((clause) => clause.id));
  return [
    ...CLAUSES.filter((clause) => !here.has(clause.id) && (!clause.several || recipe.props.length > 1)),
    ...EDGES.filter((edge) => !edge.here(recipe, of)),
    ...(here.has("chalk") ? [] : [RUB_OUT]),
    ...ADDITIONS.filter(({ to }) => !to || here.has(to)),
  ];
}

/** Put a prop into the recipe, or take it out. */
export function toggleProp(prop: string): void {
  const { recipe, setRecipe } = useStage.getState();
  const without = recipe.props.filter((rule) => rule.prop !== prop);
  const like = recipe.props[0];
  // A further prop follows the words that are said of all.
  const fresh: PropRule = {
    ...(like ?? {}),
    ...{ prop, piece: null, file: null, name: prop, share: 1, gather_m: null, clear_m: null },
  };
  setRecipe({ props: without.length < recipe.props.length ? without : [...recipe.props, fresh] });
}

/** Mark a box out on the set, and name it in the recipe. */
export async function markOut(box: DrawnBox, inside: boolean): Promise<void> {
  const [x, y, z] = box.at;
  const change = await make({
    kind: "mark_out",
    prop: PAPER_BOX,
    pose: {
      position: [x, y + 0.5 * box.height, z],
      orientation: [0, 0, 0, 1],
      scale: [box.across, box.height, box.along],
    },
  });
  const key = change?.deltas.find((delta) => delta.kind === "region")?.key;
  const { recipe, setRecipe } = useStage.getState();
  if (!key) return;
  if (inside) setRecipe({ only_inside: [...(recipe.only_inside ?? []), key] });
  else setRecipe({ keep_out: [...(recipe.keep_out ?? []), key] });
}

/** The boxes that the recipe in hand keeps out of, or stays in. */
export function boxesInHand(): Box[] {
  const { regions, recipe } = useStage.getState();
  return boxesOf(regions, [...(recipe.keep_out ?? []), ...(recipe.only_inside ?? [])]);
}

/** Whether the recipe in hand lies on the set just as it is said. */
export function isLaid(): boolean {
  const { openRecipe, recipes, recipe } = useStage.getState();
  const record = openRecipe === null ? undefined : recipes.get(openRecipe);
  return record !== undefined && sameRecipe(recipeOf(record), recipe);
}

/** Lay the recipe, in place of what it laid before. */
export const lay = oneAtATime(async () => {
  const { recipe, openRecipe, recipeName, set, recipes } = useStage.getState();
  const problem = whyNot(recipe);
  if (problem) return set({ note: problem });
  const again = openRecipe !== null && recipes.has(openRecipe) ? openRecipe : null;
  const change = await make({ kind: "scatter", recipe, again, name: recipeName.slice(0, 80) });
  if (!change) return;
  const made = change.deltas.find((delta) => delta.kind === "recipe")?.key ?? again;
  if (useStage.getState().verb === "scatter" && made) useStage.getState().takeUp(made);
  set({ note: change.words });
});

/** Why a recipe cannot be laid yet; null where it can. */
export function whyNot(recipe: Recipe): string | null {
  if (!recipe.props.length) return "Choose one prop or several from the trolley.";
  if (!recipe.on.length) return "Press on the ground that it lies on.";
  return null;
}

/** Lay it once more with another seed. */
export function reRoll(): void {
  const { recipe, setRecipe } = useStage.getState();
  setRecipe({ seed: (recipe.seed ?? 1) + 1 });
  void lay();
}

/** The recipe of a text. What it names and this set does not have is left out. Throws an Error that says what is wrong. */
export function recipeOfText(
  text: string,
  known: { pieces: ReadonlyMap<string, unknown>; regions: ReadonlyMap<string, unknown> },
): Recipe {
  let found: unknown;
  try {
    found = JSON.parse(text);
  } catch {
    throw new Error("What was copied is no recipe; copy one as text first.");
  }
  const recipe = found as Recipe;
  if (!found || typeof found !== "object" || !Array.isArray(recipe.props) || !Array.isArray(recipe.on))
    throw new Error("What was copied is no recipe; copy one as text first.");
  const here = (name: string) => known.pieces.has(name) || known.regions.has(name);
  const rules = recipe.rules;
  return {
    ...recipe,
    on: recipe.on.filter((name) => known.pieces.has(name)),
    keep_out: (recipe.keep_out ?? []).filter(here),
    only_inside: (recipe.only_inside ?? []).filter(here),
    ...(rules && {
      rules: {
        ...rules,
        near: (rules.near ?? []).filter((rule) => !rule.of || here(rule.of)),
        far: (rules.far ?? []).filter((rule) => !rule.of || here(rule.of)),
      },
    }),
  };
}

export async function pasteText(): Promise<void> {
  const { pieces, regions, set } = useStage.getState();
  try {
    const recipe = recipeOfText(await clipboard().readText(), { pieces, regions });
    set({ recipe, openRecipe: null, recipeName: "" });
  } catch (problem) {
    tell(problem);
  }
}
