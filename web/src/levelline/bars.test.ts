import { describe, expect, it } from "vitest";

import { fit, piece } from "../fit/examples";
import { barOf, groupBars, logHeight } from "./bars";

describe("the level line", () => {
  it("is flat under a tenth of a millimetre and full at a metre", () => {
    expect(logHeight(0)).toBe(0);
    expect(logHeight(0.0001)).toBe(0);
    expect(logHeight(0.01)).toBeCloseTo(0.5);
    expect(logHeight(1)).toBe(1);
    expect(logHeight(50)).toBe(1);
  });

  it("draws gaps up, depths down, tippy slanted, a wanted stand-off flat", () => {
    const p = piece("a", 0);
    expect(barOf(fit("a"), p).height).toBe(0);
    expect(barOf(fit("a", { state: "floating", faults: ["floating"], gap: 0.01 }), p).height).toBeCloseTo(
      0.5,
    );
    expect(barOf(fit("a", { state: "sunk", faults: ["sunk"], depth: 0.01 }), p).height).toBeCloseTo(-0.5);
    expect(barOf(fit("a", { state: "clashing", faults: ["clashing"], depth: 1 }), p).height).toBe(-1);
    expect(barOf(fit("a", { state: "tippy", faults: ["tippy"] }), p).slanted).toBe(true);
    expect(barOf(fit("a", { state: "unborne", faults: ["unborne"], gap: null }), p).height).toBe(1);
    expect(barOf(fit("a", { gap: 0.02 }), { ...p, stand_off: 0.02 }).height).toBe(0);
  });

  it("groups by the bearer everything finally stands on, from left to right", () => {
    const pieces = new Map(
      [
        piece("floor", 0, "bearer"),
        piece("shelf", 0, "bearer"),
        piece("lid", 2),
        piece("jar", 2),
        piece("mug", 1),
      ].map((p) => [p.key, p]),
    );
    const fits = new Map(
      [
        fit("lid", { rests_on: ["jar"] }),
        fit("jar"),
        fit("mug", { rests_on: ["shelf"] }),
        fit("lost", { rests_on: [] }),
      ].map((f) => [f.key, f]),
    );
    const groups = groupBars(pieces, fits);
    expect(groups.map((g) => [g.name, g.bars.map((b) => b.key)])).toEqual([
      ["floor", ["jar", "lid"]],
      ["shelf", ["mug"]],
    ]);
  });

  it("does not hang on pieces that rest on each other", () => {
    const pieces = new Map([piece("a", 0), piece("b", 1)].map((p) => [p.key, p]));
    const fits = new Map(
      [fit("a", { rests_on: ["b"] }), fit("b", { rests_on: ["a"] })].map((f) => [f.key, f]),
    );
    expect(groupBars(pieces, fits)[0]?.name).toBe("on nothing");
  });
});
