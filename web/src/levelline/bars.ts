/** What the level line draws: a bar a piece, grouped by the bearer everything finally stands on. */
import type { Fit, Piece } from "../api/client";

export interface Bar {
  key: string;
  state: Fit["state"];
  /** -1..1: above the line a gap, below it a depth, on a log scale from 0.1 mm to 1 m. */
  height: number;
  slanted: boolean;
}

export interface BarGroup {
  name: string;
  bars: Bar[];
}

const LEAST_M = 1e-4;
const MOST_M = 1;

export function logHeight(metres: number): number {
  if (metres <= LEAST_M) return 0;
  return Math.min(1, Math.log10(metres / LEAST_M) / Math.log10(MOST_M / LEAST_M));
}

function bearerOf(
  key: string,
  pieces: ReadonlyMap<string, Piece>,
  fits: ReadonlyMap<string, Fit>,
): string | null {
  // Most stand on a bearer, which takes no list of what was seen.
  const straight = fits.get(key)?.rests_on.find((below) => pieces.get(below)?.role === "bearer");
  if (straight) return straight;
  // The nearest one first; what is joined may rest on something that rests on it.
  const seen = new Set([key]);
  for (const at of seen) {
    if (pieces.get(at)?.role === "bearer") return at;
    fits.get(at)?.rests_on.forEach((below) => seen.add(below));
  }
  return null;
}

export function barOf(fit: Fit, piece: Piece): Bar {
  const excess = Math.max(0, (fit.gap ?? MOST_M) - piece.stand_off);
  const down = fit.faults.includes("clashing") || fit.faults.includes("sunk");
  return {
    key: fit.key,
    state: fit.state,
    height: down
      ? -logHeight(fit.depth)
      : fit.faults.includes("floating") || fit.gap === null
        ? logHeight(excess)
        : 0,
    slanted: fit.faults.includes("tippy"),
  };
}

export function groupBars(pieces: ReadonlyMap<string, Piece>, fits: ReadonlyMap<string, Fit>): BarGroup[] {
  const groups = new Map<string, Piece[]>();
  for (const fit of fits.values()) {
    const piece = pieces.get(fit.key);
    if (!piece) continue;
    const bearer = bearerOf(fit.key, pieces, fits) ?? "";
    const members = groups.get(bearer);
    if (members) members.push(piece);
    else groups.set(bearer, [piece]);
  }
  // In the order of the set, so that no group moves when a piece comes or goes; what stands on nothing is last.
  const place = new Map([...pieces.keys()].map((key, i) => [key, i]));
  return [...groups.entries()]
    .sort(([a], [b]) => (place.get(a) ?? Infinity) - (place.get(b) ?? Infinity))
    .map(([bearer, members]) => ({
      name: bearer ? (pieces.get(bearer)?.name ?? "") : "on nothing",
      bars: members
        .sort((a, b) => a.pose.position[0] - b.pose.position[0] || (a.key < b.key ? -1 : 1))
        .map((p) => barOf(fits.get(p.key)!, p)),
    }));
}
