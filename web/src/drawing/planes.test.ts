import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { nearestOnLine } from "./planes";

const at = (x: number, y: number, z: number) => new THREE.Vector3(x, y, z);

describe("the place of a line that a ray comes nearest to", () => {
  it("is where they cross, in metres from the point along its direction", () => {
    const ray = new THREE.Ray(at(0.7, 5, 0), at(0, -1, 0));
    expect(nearestOnLine(ray, at(0.2, 1, 0), at(1, 0, 0))).toBeCloseTo(0.5);
    expect(nearestOnLine(ray, at(0.2, 1, 0), at(-1, 0, 0))).toBeCloseTo(-0.5);
  });

  it("is on the shortest way between them where they do not cross", () => {
    const ray = new THREE.Ray(at(3, 5, 2), at(0, -0.6, -0.8));
    expect(nearestOnLine(ray, at(0, 0, 0), at(1, 0, 0))).toBeCloseTo(3);
  });

  it("is nowhere where they run the same way", () => {
    expect(nearestOnLine(new THREE.Ray(at(0, 1, 0), at(1, 0, 0)), at(0, 0, 0), at(-1, 0, 0))).toBeNull();
  });
});
