/** The least and the greatest value that the server takes of a figure, from its published schema. */
import LIMITS from "./limits.json";

type Limits = typeof LIMITS;

export function limits<S extends keyof Limits, F extends keyof Limits[S]>(
  schema: S,
  field: F,
): { min: number; max: number } {
  const [min, max] = LIMITS[schema][field] as [number, number];
  return { min, max };
}
