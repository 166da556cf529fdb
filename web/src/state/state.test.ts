import { beforeEach, describe, expect, it } from "vitest";

import { change, fit, piece, yard } from "../fit/examples";
import { snapped } from "./steps";
import { useStage } from ".";

const set = yard({ revision: 4 });

describe("the state of a stage", () => {
  beforeEach(() => {
    useStage.getState().close();
    useStage.getState().open(set);
  });
  const now = () => useStage.getState();

  it("takes the next change, knows an old one, and sees when it is behind", () => {
    expect(now().apply(change(4))).toBe("known");
    expect(now().apply(change(6))).toBe("behind");
    const moved = piece("jar", 0.5);
    expect(now().apply(change(5, { deltas: [{ kind: "piece", key: "jar", after: moved }] }))).toBe("applied");
    expect(now().pieces.get("jar")).toBe(moved);
    expect([now().revision, now().canUndo]).toEqual([5, "moved"]);
  });

  it("learns how deep a piece is, of the set as it is and of no other", () => {
    now().hearMeasured(3, [fit("jar", { depth: 0.5 })]);
    expect(now().fits.get("jar")!.depth).toBe(0);
    now().hearMeasured(4, [fit("jar", { depth: 0.03 })]);
    expect([now().fits.get("jar")!.depth, now().fits.size]).toEqual([0.03, 2]);
  });

  it("keeps what it was told of a depth when the set comes whole, but older", () => {
    const older = { ...set, fits: [fit("jar", { deeper: true, depth: 0.0005 }), fit("mug")] };
    now().hearMeasured(4, [fit("jar", { depth: 0.03 })]);
    now().open(older);
    expect(now().fits.get("jar")!.depth).toBe(0.03);
    now().open({ ...older, revision: 5 });
    expect(now().fits.get("jar")!.deeper).toBe(true);
  });

  it("forgets what went: its fit, and that it was selected", () => {
    now().select(["jar", "mug"]);
    now().apply(change(5, { deltas: [{ kind: "piece", key: "jar", after: null }] }));
    expect(now().selected).toEqual(["mug"]);
    expect(now().fits.has("jar")).toBe(false);
  });

  it("a piece that was fixed has no fit of its own any more", () => {
    now().apply(change(5, { deltas: [{ kind: "piece", key: "jar", after: piece("jar", 0, "bearer") }] }));
    expect([...now().fits.keys()]).toEqual(["mug"]);
  });

  it("a held selection is not lost by a stray press", () => {
    now().select(["jar"]);
    now().set({ held: true });
    now().select([]);
    expect(now().selected).toEqual(["jar"]);
    now().set({ held: false });
    now().select([]);
    expect(now().selected).toEqual([]);
  });

  it("a kind of bearer brings its measures along, and what is set by hand stays", () => {
    now().setBuild({ kind: "floor" });
    expect(now().build.across).toBe(4);
    now().setBuild({ across: 7 });
    expect([now().build.kind, now().build.across]).toEqual(["floor", 7]);
  });
});

describe("steps", () => {
  it("are whole, or free", () => {
    expect(snapped(0.0149, 0.01)).toBeCloseTo(0.01);
    expect(snapped(-0.0151, 0.01)).toBeCloseTo(-0.02);
    expect(snapped(0.01234, 0)).toBe(0.01234);
  });
});
