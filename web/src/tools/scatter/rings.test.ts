import { describe, expect, it } from "vitest";

import { piece } from "../../fit/examples";
import { PLAIN_RECIPE, type Recipe } from "../../state/scatter";
import { ringsOf } from "./marks";
import { MOST_RINGS, outlines } from "../../stage/rings";

const elbowed = (...radii: number[]): Recipe => ({
  ...PLAIN_RECIPE,
  no_overlap: "elbow",
  props: radii.map((elbow_room_m, k) => ({ prop: `prop ${k}`, elbow_room_m })),
});

describe("rings of elbow room", () => {
  it("lie level, closed, and as wide as they say", () => {
    const found = outlines([{ at: [1, 2, 3], radius: 0.5 }]);
    for (let k = 0; k < found.length; k += 3) {
      expect(found[k + 1]).toBe(2);
      expect(Math.hypot(found[k]! - 1, found[k + 2]! - 3)).toBeCloseTo(0.5, 6);
    }
    expect([...found.slice(0, 3)].map((v) => v.toFixed(5))).toEqual(
      [...found.slice(-3)].map((v) => v.toFixed(5)),
    );
  });

  it("are no more than can be told apart", () => {
    const many = Array.from({ length: MOST_RINGS + 5 }, () => ({ at: [0, 0, 0] as never, radius: 1 }));
    expect(outlines(many).length).toBe(outlines(many.slice(0, MOST_RINGS)).length);
  });

  it("are round what lies, by its prop, and round dots the least there is", () => {
    const laid = [
      { ...piece("a", 0), prop: "prop 1" },
      { ...piece("b", 0), prop: "prop 0" },
    ];
    expect(ringsOf(laid, elbowed(0.1, 0.3), []).map((ring) => ring.radius)).toEqual([0.3, 0.1]);
    expect(ringsOf(laid, elbowed(0.1, 0.3), [1, 2, 3, 4, 5, 6])).toEqual([
      { at: [1, 2, 3], radius: 0.1 },
      { at: [4, 5, 6], radius: 0.1 },
    ]);
    expect(ringsOf(laid, { ...elbowed(0.1), no_overlap: "shape" }, [1, 2, 3])).toEqual([]);
    expect(ringsOf(laid, elbowed(0), [1, 2, 3])).toEqual([]);
  });
});
