/** Level rings: how much elbow room each piece of a recipe has. */
import type { Triple } from "../api/client";

export interface Ring {
  at: Triple;
  /** Metres. */
  radius: number;
}

/** Straight parts of a ring, and rings that are drawn at most: more of them are no longer told apart. */
const PARTS = 28;
export const MOST_RINGS = 2000;

/** Both ends of every straight part, x, y, z one after the other. */
export function outlines(rings: readonly Ring[]): Float32Array {
  const shown = rings.slice(0, MOST_RINGS);
  const found = new Float32Array(shown.length * PARTS * 6);
  shown.forEach(({ at: [x, y, z], radius }, n) => {
    for (let k = 0; k < PARTS; k++)
      for (const end of [0, 1]) {
        const angle = (2 * Math.PI * (k + end)) / PARTS;
        found.set(
          [x + radius * Math.cos(angle), y, z + radius * Math.sin(angle)],
          (n * PARTS + k) * 6 + 3 * end,
        );
      }
  });
  return found;
}
