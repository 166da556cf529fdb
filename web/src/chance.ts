/** Chance, for the turn of copies and for seeds. `?seed=7` behind an address makes it the same every time. */

/** A stream of numbers from 0 to 1 (Mulberry32, a 32-bit generator with one word of state). */
export function seeded(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

const asked = new URLSearchParams(globalThis.location?.search ?? "").get("seed");

/** The next number from 0 to 1. */
export const chance: () => number = asked === null ? Math.random : seeded(Number(asked) || 0);
