import { beforeEach, describe, expect, it } from "vitest";

import type { Pose } from "../../api/client";
import { change, yard } from "../../fit/examples";
import { useStage } from "../../state";
import { NO_BAY, PLAIN_FILLING } from "../../state/fill";
import { resizedBox } from "../boxes";
import { FILL_CLAUSES, toggleInFilling, whyNotFill } from "./filling";

const now = () => useStage.getState();
const half = Math.SQRT1_2;
const BOX: Pose = {
  position: [1, 0.5, 2],
  orientation: [0, half, 0, half],
  scale: [2, 1, 0.5],
};
const RECORD = {
  key: "r",
  name: "jars",
  recipe: "fill" as const,
  seed: 3,
  parameters: { bay: "bay", props: [{ prop: "jar", name: "jar" }] },
  exceptions: { taken_out: [2], nudged: {} },
};

describe("the filling in hand", () => {
  beforeEach(() => {
    now().open(yard());
    now().takeUpFilling(null);
  });

  it("takes props in and out, and says what is missing yet", () => {
    expect(whyNotFill(now().filling)).toMatch(/from the trolley/);
    toggleInFilling("jar");
    now().setFillRules({ sides: "any" }, null);
    toggleInFilling("tile");
    expect(now().filling.props.map(({ prop, sides }) => [prop, sides])).toEqual([
      ["jar", "any"],
      ["tile", "any"],
    ]);
    expect(whyNotFill(now().filling)).toMatch(/Press into the compartment/);
    now().setFilling({ bay: "bay" });
    expect(whyNotFill(now().filling)).toBeNull();
    toggleInFilling("jar");
    expect(now().filling.props.map(({ prop }) => prop)).toEqual(["tile"]);
  });

  it.each(FILL_CLAUSES.map((clause) => [clause.id, clause] as const))(
    "puts in and leaves out: %s",
    (_, clause) => {
      toggleInFilling("jar");
      const plain = now().filling;
      expect(clause.here(plain)).toBe(false);
      clause.put();
      expect(clause.here(now().filling)).toBe(true);
      clause.drop();
      expect(clause.here(now().filling)).toBe(false);
    },
  );

  it("follows its record, and forgets a bay that is wiped out", () => {
    const before = now().recipes;
    now().apply(change(now().revision + 1, { deltas: [{ kind: "recipe", key: "r", after: RECORD }] }));
    now().takeUpFilling("r");
    expect(now().filling.exceptions?.taken_out).toEqual([2]);
    now().followFillings(before);
    expect(now().filling.bay).toBe(NO_BAY);
    now().takeUpFilling(null);
    expect(now().filling).toEqual(PLAIN_FILLING);
  });
});

describe("a bay that is a box", () => {
  it("grows by the side that is pulled, and the other side stays", () => {
    const wider = resizedBox(BOX, 0, 0, 0.5);
    expect(wider.scale).toEqual([2.5, 1, 0.5]);
    // Turned by a right angle, its own x runs along -z.
    expect(wider.position.map((v) => Math.round(v * 1e6) / 1e6)).toEqual([1, 0.5, 1.75]);
    const lower = resizedBox(BOX, 1, 0, -0.4);
    expect([lower.scale[1], lower.position[1]]).toEqual([0.6, 0.3]);
    expect(resizedBox(BOX, 2, -9, 0).scale[2]).toBe(0.01);
  });
});
