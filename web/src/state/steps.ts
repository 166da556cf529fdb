/** How far a movement goes at once: for each kind of movement, coarse to fine, remembered. */

export interface Step {
  /** Metres, degrees or a share; 0 is free. */
  size: number;
  words: string;
}

export const STEPS = {
  slide: [
    { size: 0.1, words: "100 mm" },
    { size: 0.01, words: "10 mm" },
    { size: 0.001, words: "1 mm" },
    { size: 0.0001, words: "0.1 mm" },
    { size: 0, words: "any distance" },
  ],
  turn: [
    { size: 90, words: "90°" },
    { size: 15, words: "15°" },
    { size: 5, words: "5°" },
    { size: 1, words: "1°" },
    { size: 0, words: "any angle" },
  ],
  raise: [
    { size: 0.01, words: "10 mm" },
    { size: 0.001, words: "1 mm" },
    { size: 0.0001, words: "0.1 mm" },
    { size: 0, words: "any depth" },
  ],
  size: [
    { size: 0.1, words: "10 %" },
    { size: 0.05, words: "5 %" },
    { size: 0.01, words: "1 %" },
    { size: 0, words: "any size" },
  ],
} satisfies Record<string, Step[]>;

export type Movement = keyof typeof STEPS;
export type Steps = Record<Movement, number>;

const KEPT = "steps";
const USUAL: Steps = { slide: 0.01, turn: 15, raise: 0.001, size: 0.05 };

export function keptSteps(): Steps {
  try {
    const found = JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Steps>;
    const known = Object.entries(found).filter(([kind, size]) =>
      STEPS[kind as Movement]?.some((s) => s.size === size),
    );
    return { ...USUAL, ...Object.fromEntries(known) };
  } catch {
    return USUAL;
  }
}

export function keepSteps(steps: Steps): void {
  localStorage.setItem(KEPT, JSON.stringify(steps));
}

/** To the nearest whole step; a free step leaves the value as it is. */
export function snapped(value: number, step: number): number {
  return step > 0 ? Math.round(value / step) * step : value;
}
