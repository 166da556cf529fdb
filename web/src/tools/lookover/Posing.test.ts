import { describe, expect, it } from "vitest";

import { withTurn } from "./Posing";

describe("joints", () => {
  it("keep one turn for each axis, and none of nothing", () => {
    const bent = withTurn(withTurn([], "knee", "x", 90), "knee", "y", 10);
    expect(bent).toEqual([
      { joint: "knee", axis: "x", degrees: 90 },
      { joint: "knee", axis: "y", degrees: 10 },
    ]);
    expect(withTurn(bent, "knee", "x", 45)).toContainEqual({ joint: "knee", axis: "x", degrees: 45 });
    expect(withTurn(bent, "knee", "x", 45)).toHaveLength(2);
    expect(withTurn(bent, "knee", "x", 0)).toEqual([{ joint: "knee", axis: "y", degrees: 10 }]);
  });
});
