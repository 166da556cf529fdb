/** Recipes of the set, as the slips of scatter and fill take them in hand. */
import type { Schemas } from "../api/client";

/** The recipe that a record of the set keeps, of the kind that the slip speaks of. */
export function keptRecipe<T>(record: Schemas["RecipeSchema"]): T {
  const nudged = Object.entries(record.exceptions.nudged).map(
    ([number, pose]) => [number, { position: pose.position, basis: pose.basis }] as const,
  );
  return {
    ...(record.parameters as unknown as T),
    seed: record.seed,
    exceptions: { taken_out: record.exceptions.taken_out, nudged: Object.fromEntries(nudged) },
  };
}

export function sameRecipe(one: object, other: object): boolean {
  return JSON.stringify(one) === JSON.stringify(other);
}
