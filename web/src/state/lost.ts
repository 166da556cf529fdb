/** Pieces that a change took the support from: they did not move, and stand on nothing any more. */
import type { Change, Fit } from "../api/client";

/** Whether there is nothing where a piece would stand, or only further down. */
export const hangs = (fit: Fit | undefined): boolean =>
  fit !== undefined && (fit.faults.includes("floating") || fit.faults.includes("unborne"));

/** Those that stood by the fits of `before` and hang after a change that did not touch them. */
export function lostBy(change: Pick<Change, "deltas" | "fits">, before: ReadonlyMap<string, Fit>): string[] {
  const touched = new Set(change.deltas.map((delta) => delta.key));
  return change.fits
    .filter(
      (fit) => hangs(fit) && !touched.has(fit.key) && before.has(fit.key) && !hangs(before.get(fit.key)),
    )
    .map((fit) => fit.key);
}
