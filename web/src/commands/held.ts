/** Keys that are held: what they add up to is tried on the stage, and made as one step when they are let go. */
import type { Move, Triple } from "../api/client";
import { make } from "../stage/making";
import { useStage } from "../state";
import { raiseOf, slideOf, turnOf } from "../state/mover";

export type Held =
  | { kind: "slide"; by: Triple }
  | { kind: "turn"; degrees: number }
  | { kind: "size"; factor: number }
  | { kind: "raise"; by: number };

/** Both one after the other; null where they are of different kinds. */
export function added(a: Held, b: Held): Held | null {
  if (a.kind === "slide" && b.kind === "slide")
    return { kind: "slide", by: [a.by[0] + b.by[0], a.by[1] + b.by[1], a.by[2] + b.by[2]] };
  if (a.kind === "turn" && b.kind === "turn") return { kind: "turn", degrees: a.degrees + b.degrees };
  if (a.kind === "size" && b.kind === "size") return { kind: "size", factor: a.factor * b.factor };
  if (a.kind === "raise" && b.kind === "raise") return { kind: "raise", by: a.by + b.by };
  return null;
}

/** The move that it comes to, for the pieces as they are now; null where nothing is left to move. */
export function moveOf(held: Held, keys: string[]): Move | null {
  const { pieces, together } = useStage.getState();
  const there = keys.filter((k) => pieces.has(k));
  if (!there.length) return null;
  switch (held.kind) {
    case "slide":
      return slideOf(there, held.by);
    case "turn":
      return turnOf(there, held.degrees);
    case "size":
      return { kind: "size", pieces: there, factor: held.factor, together };
    case "raise":
      return raiseOf(there, Math.round(held.by * 1e6) / 1e6);
  }
}

export class HeldKeys {
  private now: { held: Held; keys: string[]; down: Set<string> } | null = null;
  private made: Promise<unknown> = Promise.resolve();
  private under = 0;

  /** A key went down, or repeats while it is held. `code`: which key. */
  press(code: string, step: Held): void {
    const { selected, tryOut } = useStage.getState();
    const both = this.now && added(this.now.held, step);
    if (this.now && both) this.now.held = both;
    else {
      this.commit();
      this.now = { held: step, keys: selected, down: new Set() };
    }
    this.now.down.add(code);
    // While the one before is still being made, its end is not known, and nothing true could be shown.
    if (this.under === 0) tryOut(moveOf(this.now.held, this.now.keys));
  }

  /** A key was let go. */
  release(code: string): void {
    if (!this.now?.down.delete(code)) return;
    if (this.now.down.size === 0) this.commit();
  }

  /** Make what the keys add up to: they were let go, or something else is done. */
  commit(): void {
    const { now } = this;
    this.now = null;
    if (!now) return;
    this.under += 1;
    // One after the other: each begins where the one before has ended.
    this.made = this.made
      .then(() => {
        const move = moveOf(now.held, now.keys);
        return move && make(move);
      })
      .finally(() => {
        this.under -= 1;
        if (!this.now) useStage.getState().tryOut(null);
      });
  }

  /** Until everything that was begun is made. */
  settled(): Promise<unknown> {
    return this.made;
  }
}
