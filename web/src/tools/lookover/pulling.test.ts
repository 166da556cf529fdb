import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { axisToward, turnedBy } from "./pulling";

describe("a limb in the hand", () => {
  it("turns as the pointer goes round the joint, the short way", () => {
    const pivot = { x: 100, y: 100 };
    expect(turnedBy(pivot, { x: 200, y: 100 }, { x: 100, y: 0 })).toBeCloseTo(90, 9);
    expect(turnedBy(pivot, { x: 200, y: 100 }, { x: 100, y: 200 })).toBeCloseTo(-90, 9);
    expect(turnedBy(pivot, { x: 0, y: 99 }, { x: 0, y: 101 })).toBeCloseTo(1.146, 2);
  });

  it("turns about the axis that looks at the eye", () => {
    const axes = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ] as [[number, number, number], [number, number, number], [number, number, number]];
    expect(axisToward({ axes }, new THREE.Vector3(0.9, 0.1, 0.3))).toEqual({ axis: "x", sign: 1 });
    expect(axisToward({ axes }, new THREE.Vector3(0.1, -0.2, -0.9))).toEqual({ axis: "z", sign: -1 });
  });
});
