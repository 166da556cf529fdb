/** The filling in hand: what the fill slip says, and which recipe of the set it is. */
import type { StateCreator } from "zustand";

import type { Schemas } from "../api/client";
import type { Mirror } from "../api/mirror";
import { keptRecipe, sameRecipe } from "./recipes";

export type Filling = Schemas["FillRecipe"];
export type FillRule = Schemas["FillRule"];

/** No bay is chosen yet. */
export const NO_BAY = "";
export const PLAIN_FILLING: Filling = { bay: NO_BAY, props: [], count: null, seed: 1 };

export interface FillSlice {
  filling: Filling;
  /** The recipe of the set that is filled again; null: a new one. */
  openFilling: string | null;
  /** What the recipe is called; empty: by its props. */
  fillingName: string;
  /** The next drag on the stage draws a bay. */
  drawingBay: boolean;
  setFilling: (some: Partial<Filling>) => void;
  /** Change every prop of the filling, or the one of that number. */
  setFillRules: (some: Partial<FillRule>, only: number | null) => void;
  /** Take up a filling of the set, or begin a new one. */
  takeUpFilling: (key: string | null) => void;
  /** The recipes or the regions of the set are others: what became of the one in hand holds here too. */
  followFillings: (before: Mirror["recipes"]) => void;
}

/** The filling that a record of the set keeps. */
export const fillingOf = (record: Schemas["RecipeSchema"]) => keptRecipe<Filling>(record);

export const fillSlice: StateCreator<FillSlice & Mirror, [], [], FillSlice> = (set) => ({
  filling: PLAIN_FILLING,
  openFilling: null,
  fillingName: "",
  drawingBay: false,
  setFilling: (some) => set(({ filling }) => ({ filling: { ...filling, ...some } })),
  setFillRules: (some, only) =>
    set(({ filling }) => ({
      filling: {
        ...filling,
        props: filling.props.map((rule, number) =>
          only === null || only === number ? { ...rule, ...some } : rule,
        ),
      },
    })),
  takeUpFilling: (key) =>
    set(({ recipes }) => {
      const record = key === null ? undefined : recipes.get(key);
      return record
        ? { openFilling: record.key, filling: fillingOf(record), fillingName: record.name, drawingBay: false }
        : { openFilling: null, filling: PLAIN_FILLING, fillingName: "", drawingBay: false };
    }),
  followFillings: (before) =>
    set(({ recipes, regions, openFilling, filling }) => {
      // A bay that somebody wiped out is no bay any more.
      const bay = filling.bay && !regions.has(filling.bay) ? NO_BAY : filling.bay;
      const here = bay === filling.bay ? {} : { filling: { ...filling, bay } };
      const [was, now] = [before.get(openFilling ?? ""), recipes.get(openFilling ?? "")];
      if (was === now) return here;
      if (!now) return { ...here, openFilling: null };
      const untouched = was !== undefined && sameRecipe(fillingOf(was), filling);
      return {
        filling: untouched ? fillingOf(now) : { ...filling, bay, exceptions: fillingOf(now).exceptions },
      };
    }),
});
