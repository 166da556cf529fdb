import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { fit, piece } from "../fit/examples";
import { SpikeMarks, plumbLabel } from "../stage/SpikeMarks";
import { labelOf } from "./marking";

const frame = {
  box: new THREE.Box3(new THREE.Vector3(-0.1, 0, -0.1), new THREE.Vector3(0.1, 0.2, 0.1)),
  matrix: new THREE.Matrix4(),
};

describe("marks", () => {
  it("are a handful of objects however many pieces are marked, and lie about their footprints", () => {
    const marks = new SpikeMarks();
    const floating = fit("jar", { gap: 0.05, state: "floating", touch: [3, 0.05, 0] });
    const at = (x: number) => ({ ...frame, matrix: new THREE.Matrix4().setPosition(x, 0.05, 0) });
    marks.show(
      Array.from({ length: 300 }, (_, x) => ({ piece: piece(`p${x}`, x), fit: floating, frame: at(x) })),
    );
    expect(marks.group.children.length).toBe(3);
    const tapes = marks.group.children.find((m) => m instanceof THREE.InstancedMesh) as THREE.InstancedMesh;
    expect(tapes.count).toBe(300 * 8);
    const box = new THREE.Box3();
    const matrix = new THREE.Matrix4();
    for (let n = 3 * 8; n < 4 * 8; n++) {
      tapes.getMatrixAt(n, matrix);
      box.union(tapes.geometry.boundingBox!.clone().applyMatrix4(matrix));
    }
    // Round the footprint of the one at x = 3, on the floor that it floats above.
    expect(box.min.x).toBeLessThan(2.9);
    expect(box.max.x).toBeGreaterThan(3.1);
    expect(box.max.x - box.min.x).toBeLessThan(0.26);
    expect(box.min.y).toBeCloseTo(0.001, 3);
    const plumb = marks.group.children.find((m) => m instanceof THREE.LineSegments) as THREE.LineSegments;
    expect(plumb.geometry.getAttribute("position").count).toBe(300 * 6);
    marks.show([]);
    expect(marks.group.children.filter((m) => m.visible)).toEqual([]);
  });

  it("tell the gap where it is, and nothing of what was not measured", () => {
    const one = { piece: piece("jar", 0), fit: fit("jar", { gap: 0.04, touch: [0, 0.04, 0] }), frame };
    const label = plumbLabel(one, (f) => `${f.gap}`)!;
    expect(label.at.toArray()).toEqual([0, 0.02, 0]);
    expect([label.text, label.quiet]).toEqual(["0.04", true]);
    expect(plumbLabel({ ...one, fit: undefined }, () => "")).toBeNull();
  });

  it("say the fault that a piece has", () => {
    const write = (m: number) => `${Math.round(m * 1e4) / 10} mm`;
    const clash = { other: "mug", depth: 0.03, point: [0, 0, 0], normal: [0, 1, 0] } as never;
    expect(labelOf(fit("jar", { state: "clashing", clashes: [clash] }), write)).toBe("30 mm in another");
    expect(labelOf(fit("jar", { state: "clashing", clashes: [clash], deeper: true }), write)).toBe(
      "over 30 mm in another",
    );
    expect(labelOf(fit("jar", { state: "sunk", depth: 0.012 }), write)).toBe("sunk 12 mm");
    expect(labelOf(fit("jar", { state: "unborne", gap: null }), write)).toBe("nothing below");
    expect(labelOf(fit("jar", { state: "floating", gap: 0.05 }), write)).toBe("50 mm");
    expect(labelOf(fit("jar", { state: "tippy" }), write)).toBe("0 mm, tippy");
    expect(labelOf(fit("jar"), write)).toBe("0 mm");
  });
});
