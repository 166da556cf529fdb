/** Whole families of pieces, picked by what they are or what they stand on. */
import type { Fit, Piece } from "../api/client";

type Pieces = ReadonlyMap<string, Piece>;
type Fits = ReadonlyMap<string, Fit>;

/** The pieces that are picked up together with this one: its group, or itself alone. */
export function withGroup(key: string, pieces: Pieces, opened: string | null): string[] {
  const group = pieces.get(key)?.group;
  if (!group || group === opened) return [key];
  return [...pieces.values()].filter((p) => p.group === group).map((p) => p.key);
}

export function ofSameProp(keys: string[], pieces: Pieces): string[] {
  const props = new Set(keys.map((k) => pieces.get(k)?.prop));
  return loose(pieces).filter((p) => props.has(p.prop)).map((p) => p.key); // prettier-ignore
}

export function onSameBearer(keys: string[], pieces: Pieces, fits: Fits): string[] {
  const bearers = new Set(keys.flatMap((k) => fits.get(k)?.rests_on.slice(0, 1) ?? []));
  return loose(pieces).filter((p) => bearers.has(fits.get(p.key)?.rests_on[0] ?? "")).map((p) => p.key); // prettier-ignore
}

/** What rests on these, and on what rests on them, up to the top; with themselves. */
export function withWhatRestsOn(keys: string[], fits: Fits): string[] {
  const found = new Set(keys);
  for (let grown = true; grown;) {
    grown = false;
    for (const fit of fits.values())
      if (!found.has(fit.key) && fit.rests_on.some((k) => found.has(k))) {
        found.add(fit.key);
        grown = true;
      }
  }
  return [...found];
}

export function ofState(state: Fit["state"], fits: Fits): string[] {
  return [...fits.values()].filter((f) => f.state === state).map((f) => f.key);
}

function loose(pieces: Pieces): Piece[] {
  return [...pieces.values()].filter((p) => p.role === "prop");
}
