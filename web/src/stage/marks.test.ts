import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { fit, piece } from "../fit/examples";
import { emptied, spikeMarks } from "./marks";
import { labelOf } from "./marking";

const frame = {
  box: new THREE.Box3(new THREE.Vector3(-0.1, 0, -0.1), new THREE.Vector3(0.1, 0.2, 0.1)),
  matrix: new THREE.Matrix4(),
};

describe("marks", () => {
  it("leave nothing behind when they are taken away", () => {
    const alive = new Set<THREE.BufferGeometry>();
    const group = new THREE.Group();
    for (let n = 0; n < 20; n += 1) {
      emptied(group);
      const floating = fit("jar", { gap: 0.05, state: "floating", touch: [0, 0.05, 0] });
      const made = spikeMarks(piece("jar", 0), floating, frame, () => "").group;
      made.traverse((node) => {
        if (!(node instanceof THREE.Mesh || node instanceof THREE.Line)) return;
        const geometry = (node as THREE.Mesh).geometry;
        alive.add(geometry);
        geometry.addEventListener("dispose", () => alive.delete(geometry));
      });
      group.add(made);
      expect(alive.size).toBe(19);
    }
    emptied(group);
    expect([alive.size, group.children.length]).toEqual([0, 0]);
  });

  it("say the fault that a piece has", () => {
    const write = (m: number) => `${Math.round(m * 1e4) / 10} mm`;
    const clash = { other: "mug", depth: 0.03, point: [0, 0, 0], normal: [0, 1, 0] } as never;
    expect(labelOf(fit("jar", { state: "clashing", clashes: [clash] }), write)).toBe("30 mm in another");
    expect(labelOf(fit("jar", { state: "sunk", depth: 0.012 }), write)).toBe("sunk 12 mm");
    expect(labelOf(fit("jar", { state: "unborne", gap: null }), write)).toBe("nothing below");
    expect(labelOf(fit("jar", { state: "floating", gap: 0.05 }), write)).toBe("50 mm");
    expect(labelOf(fit("jar", { state: "tippy" }), write)).toBe("0 mm, tippy");
    expect(labelOf(fit("jar"), write)).toBe("0 mm");
  });
});
