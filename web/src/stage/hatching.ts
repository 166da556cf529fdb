/** Ground on which a recipe may lay nothing, hatched in quiet ink. */

import type { Barred } from "../state/scatter";

/** Length of a stroke, as a share of how far the points are apart. */
const STROKE = 0.55;
/** Metres by which it is drawn above the ground. */
const RAISED = 0.012;

/** Both ends of every stroke: level, and all the same way. */
export function strokes({ at, apart }: Barred): Float32Array {
  const reach = 0.5 * STROKE * apart * Math.SQRT1_2;
  const found = new Float32Array(2 * at.length);
  for (let k = 0; k < at.length; k += 3) {
    const [x, y, z] = [at[k]!, at[k + 1]! + RAISED, at[k + 2]!];
    found.set([x - reach, y, z - reach, x + reach, y, z + reach], 2 * k);
  }
  return found;
}
