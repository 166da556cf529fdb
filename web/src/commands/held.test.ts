import { beforeEach, describe, expect, it, vi } from "vitest";

import type { Move } from "../api/client";
import { change, piece, yard } from "../fit/examples";
import { useStage } from "../state";
import { HeldKeys, added, moveOf } from "./held";

const made: Move[] = [];
let answer: () => void = () => undefined;
vi.mock("../stage/making", () => ({
  make: (move: Move) => {
    made.push(move);
    return new Promise<void>((resolve) => {
      answer = () => {
        // What the server does: the piece is raised as it was asked for.
        if (move.kind === "bed") {
          const jar = useStage.getState().pieces.get("jar")!;
          const after = { ...jar, sink: jar.sink - (move.raise_by ?? 0) };
          const { revision, apply } = useStage.getState();
          const deltas = [{ kind: "piece" as const, key: "jar", after }];
          apply(change(revision + 1, { deltas }));
        }
        resolve();
      };
    });
  },
}));

const settled = () => new Promise((resolve) => setTimeout(resolve, 0));

describe("keys that are held", () => {
  let tried: (Move | null)[];
  let held: HeldKeys;
  beforeEach(() => {
    made.length = 0;
    tried = [];
    const { close, open, select, set } = useStage.getState();
    close();
    open(yard());
    select(["jar"]);
    set({ tryOut: (move) => tried.push(move) });
    held = new HeldKeys();
  });

  it("a key that repeats is one step in the end, and loses none of its own", async () => {
    for (let n = 0; n < 25; n += 1) held.press("Minus", { kind: "raise", by: -0.001 });
    expect(tried).toHaveLength(25);
    expect(made).toEqual([]);
    held.release("Minus");
    await settled();
    expect(made).toEqual([{ kind: "bed", pieces: ["jar"], raise_by: -0.025 }]);
    answer();
    await held.settled();
    expect(tried.at(-1)).toBeNull();
  });

  it("quick taps are a step each, and each begins where the one before has ended", async () => {
    for (let n = 0; n < 3; n += 1) {
      held.press("Minus", { kind: "raise", by: -0.001 });
      held.release("Minus");
    }
    for (let n = 0; n < 3; n += 1) {
      await settled();
      answer();
    }
    await held.settled();
    expect(made).toEqual(Array(3).fill({ kind: "bed", pieces: ["jar"], raise_by: -0.001 }));
  });

  it("two arrows at once are one way; another kind of key makes what was held first", async () => {
    held.press("ArrowRight", { kind: "slide", by: [0.01, 0, 0] });
    held.press("ArrowUp", { kind: "slide", by: [0, 0, -0.01] });
    held.release("ArrowRight");
    expect(made).toEqual([]);
    held.press("Comma", { kind: "turn", degrees: 15 });
    held.release("Comma");
    held.release("ArrowUp");
    await settled();
    answer();
    await settled();
    expect(made).toEqual([
      { kind: "slide", pieces: ["jar"], by: [0.01, 0, -0.01], together: true },
      { kind: "turn", pieces: ["jar"], angle_deg: 15, together: true },
    ]);
  });

  it("what went meanwhile is not moved", async () => {
    held.press("Minus", { kind: "raise", by: -0.001 });
    const { apply } = useStage.getState();
    const deltas = [{ kind: "piece" as const, key: "jar", after: null }];
    apply(change(1, { deltas }));
    held.release("Minus");
    await held.settled();
    expect(made).toEqual([]);
    expect(moveOf({ kind: "turn", degrees: 1 }, ["jar"])).toBeNull();
  });

  it("only what is of a kind adds up", () => {
    expect(added({ kind: "size", factor: 1.1 }, { kind: "size", factor: 1.1 })).toMatchObject({
      kind: "size",
    });
    expect(added({ kind: "size", factor: 1.1 }, { kind: "turn", degrees: 5 })).toBeNull();
    expect(moveOf({ kind: "raise", by: 0.002 }, ["jar"])).toEqual({
      kind: "bed",
      pieces: ["jar"],
      raise_by: 0.002,
    });
    expect(piece("jar", 0).sink).toBe(0);
  });
});
