/** The recipe in hand: what the scatter slip says, and which recipe of the set it is. */
import type { StateCreator } from "zustand";

import type { Schemas } from "../api/client";
import type { Mirror } from "../api/mirror";
import { keptRecipe, sameRecipe } from "./recipes";

export type Recipe = Schemas["ScatterRecipe"];
export type PropRule = Schemas["PropRule"];
export type Rules = Schemas["GroundRules"];
export type Near = NonNullable<Rules["near"]>[number];
export type Far = NonNullable<Rules["far"]>[number];
/** What the next press on the stage is for; null: it chooses what the recipe lays on. */
export type Asking =
  | "near"
  | "far"
  | "keep out"
  | "only inside"
  | "area"
  | "chalk"
  | "rub out"
  | "box to keep out of"
  | "box to stay in"
  | "line to lie near"
  | "line to keep off"
  | null;

export const PLAIN_RECIPE: Recipe = { props: [], on: [], count: 40, seed: 1 };

/** Points of the ground, x, y, z one after the other, which are some `apart` metres from each other. */
export interface Barred {
  at: number[];
  apart: number;
}
export const NOTHING_BARRED: Barred = { at: [], apart: 1 };

export interface ScatterSlice {
  recipe: Recipe;
  /** The recipe of the set that is laid again; null: a new one. */
  openRecipe: string | null;
  /** What the recipe is called; empty: by its props. */
  recipeName: string;
  asking: Asking;
  /** The prop of the recipe that words of size, turn and the like are said of; null: all of them. */
  saidOf: string | null;
  /** Metres that the chalk is wide. */
  chalkWidth: number;
  /** How much of what recipes laid is drawn, 0 to 1; all of it lies there. */
  shownShare: number;
  /** Metres that a drawn box is high. */
  boxHeight: number;
  /** Where it would lie, x, y, z one after the other; empty where nothing is to be shown. */
  dots: number[];
  /** Of its ground, where nothing may lie. */
  barred: Barred;
  setRecipe: (some: Partial<Recipe>) => void;
  setRules: (some: Partial<Rules>) => void;
  /** Change every prop of the recipe, or the one of that number. */
  setProps: (some: Partial<PropRule>, only: number | null) => void;
  /** Take up a recipe of the set, or begin a new one. */
  takeUp: (key: string | null) => void;
  /** The recipes of the set are others than `before`: what became of the one in hand holds here too; words that were changed
   * and are not laid yet stay. */
  followRecipes: (before: Mirror["recipes"]) => void;
}

export const recipeOf = (record: Schemas["RecipeSchema"]) => keptRecipe<Recipe>(record);

export const scatterSlice: StateCreator<ScatterSlice & Mirror, [], [], ScatterSlice> = (set) => ({
  recipe: PLAIN_RECIPE,
  openRecipe: null,
  recipeName: "",
  asking: null,
  saidOf: null,
  chalkWidth: 1,
  shownShare: 1,
  boxHeight: 1,
  dots: [],
  barred: NOTHING_BARRED,
  setRecipe: (some) => set(({ recipe }) => ({ recipe: { ...recipe, ...some } })),
  setRules: (some) => set(({ recipe }) => ({ recipe: { ...recipe, rules: { ...recipe.rules, ...some } } })),
  setProps: (some, only) =>
    set(({ recipe }) => ({
      recipe: {
        ...recipe,
        props: recipe.props.map((rule, number) =>
          only === null || only === number ? { ...rule, ...some } : rule,
        ),
      },
    })),
  takeUp: (key) =>
    set(({ recipes }) => {
      const record = key === null ? undefined : recipes.get(key);
      return record
        ? {
            openRecipe: record.key,
            recipe: recipeOf(record),
            recipeName: record.name,
            asking: null,
            saidOf: null,
            dots: [],
            barred: NOTHING_BARRED,
          }
        : {
            openRecipe: null,
            recipe: PLAIN_RECIPE,
            recipeName: "",
            asking: null,
            saidOf: null,
            dots: [],
            barred: NOTHING_BARRED,
          };
    }),
  followRecipes: (before) =>
    set(({ recipes, openRecipe, recipe }) => {
      const [was, now] = [before.get(openRecipe ?? ""), recipes.get(openRecipe ?? "")];
      if (was === now) return {};
      if (!now) return { openRecipe: null };
      const untouched = was !== undefined && sameRecipe(recipeOf(was), recipe);
      return { recipe: untouched ? recipeOf(now) : { ...recipe, exceptions: recipeOf(now).exceptions } };
    }),
});
