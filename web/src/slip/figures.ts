/** How the figures of a slip are shown and read. */
import { inMillimetres, inWords, parseFigure, parseLength } from "../fit/units";

export const inPercent = {
  show: (v: number) => `${Math.round(v * 1000) / 10} %`,
  read: (text: string) => {
    const found = parseFigure(text, ["%"]);
    return found === null ? null : found / 100;
  },
};

export const inDegrees = {
  show: (v: number) => `${Math.round(v * 100) / 100}°`,
  read: (text: string) => parseFigure(text, ["°", "deg"]),
};

export const inLength = {
  step: 0.001,
  min: 0,
  max: 2,
  show: (v: number) => inMillimetres(v, Number.isInteger(Math.round(v * 1e7) / 1e4) ? 0 : 1),
  read: (text: string) => parseLength(text),
};

/** Lengths of rooms and furniture. */
export const inLargeLength = {
  step: 0.05,
  min: 0.02,
  max: 200,
  show: inWords,
  read: (text: string) => parseLength(text),
};

/** Parts of a whole, beside those of others. */
export const inShares = {
  step: 0.5,
  min: 0.01,
  show: (v: number) => String(Math.round(v * 100) / 100),
  read: (text: string) => parseFigure(text, []),
};

export const inCount = {
  step: 1,
  show: (v: number) => String(Math.round(v)),
  read: (text: string) => {
    const found = parseFigure(text, []);
    return found === null ? null : Math.round(found);
  },
};

/** Numbers out of words like “3, 17 and 20”; null where something else stands among them. */
export function numbersOf(text: string): number[] | null {
  const parts = text.split(/[\s,;]+|\band\b/).filter(Boolean);
  const numbers = parts.map(Number);
  return numbers.every((n) => Number.isInteger(n) && n > 0)
    ? [...new Set(numbers)].sort((a, b) => a - b)
    : null;
}
