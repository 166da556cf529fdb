import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { piece } from "../fit/examples";
import { Crowd, type Viewpoint } from "./crowd";
import type { Model } from "../drawing/models";

const EYE = new THREE.Vector3(0, 0, 0);
const from = (seen: THREE.Frustum | null = null) => ({ eyes: [EYE], pixel: 0.001, seen });

function model(detail: number): Model {
  const geometry = new THREE.SphereGeometry(0.1, detail, detail);
  geometry.computeBoundingBox();
  const material = new THREE.MeshStandardMaterial({ color: "#a04020" });
  const triangles = geometry.index!.count / 3;
  return { parts: [{ geometry, material }], box: geometry.boundingBox!, triangles };
}

function standing(...at: number[]): { crowd: Crowd; light: Model; whole: Model } {
  const crowd = new Crowd(false, null);
  const [whole, light] = [model(32), model(8)];
  crowd.take(whole, false);
  crowd.take(light, true);
  crowd.stand(
    at.map((x, i) => piece(`jar ${i}`, x)),
    () => undefined,
  );
  return { crowd, light, whole };
}

function see(crowd: Crowd, viewpoint: Viewpoint | null, coarser = 1): number {
  const triangles = crowd.choose(viewpoint, coarser);
  crowd.fill();
  return triangles;
}

/** How many are drawn by each geometry. */
function drawn(crowd: Crowd): Map<THREE.BufferGeometry, number> {
  const meshes = crowd.group.children as THREE.InstancedMesh[];
  return new Map(meshes.filter((m) => m.count).map((m) => [m.geometry, m.count]));
}

describe("copies of one model", () => {
  it("are drawn the more simply the smaller they are on the screen", () => {
    const { crowd, light, whole } = standing(1, 5, 6, 100);
    see(crowd, from());
    const found = drawn(crowd);
    expect(found.get(whole.parts[0]!.geometry)).toBe(1);
    expect(found.get(light.parts[0]!.geometry)).toBe(2);
    expect([...found.values()].reduce((a, b) => a + b)).toBe(4);
    // Coarser, where there are too many of them.
    expect(see(crowd, from(), 5)).toBeLessThan(see(crowd, from()));
    // As they are, when there are few enough of them.
    see(crowd, null);
    expect(drawn(crowd)).toEqual(new Map([[whole.parts[0]!.geometry, 4]]));
  });

  it("are not drawn where nobody sees them", () => {
    const { crowd } = standing(5, -5);
    const ahead = new THREE.Matrix4().makePerspective(-1, 1, 1, -1, 1, 100);
    const towards = new THREE.Matrix4()
      .lookAt(EYE, new THREE.Vector3(1, 0, 0), new THREE.Vector3(0, 1, 0))
      .invert();
    see(crowd, from(new THREE.Frustum().setFromProjectionMatrix(ahead.multiply(towards))));
    expect([...drawn(crowd).values()]).toEqual([1]);
  });

  it("are known by their keys however they are drawn", () => {
    const { crowd } = standing(1, 5, 6, 100);
    see(crowd, from());
    const keys = (crowd.group.children as THREE.InstancedMesh[]).flatMap((mesh) =>
      Array.from({ length: mesh.count }, (_, i) => crowd.keyOf(mesh, i)),
    );
    expect(keys.sort()).toEqual(["jar 0", "jar 1", "jar 2", "jar 3"]);
  });

  it("stand as boxes until the model has come, and where they are while they are moved", () => {
    const box = new THREE.Box3(new THREE.Vector3(0, 0, 0), new THREE.Vector3(0.2, 0.4, 0.2));
    const crowd = new Crowd(false, box);
    const pose = { ...piece("jar", 0).pose, position: [7, 0, 0] as [number, number, number] };
    crowd.stand([piece("jar", 2), piece("mug", 3)], (key) => (key === "mug" ? pose : undefined));
    see(crowd, from());
    const mesh = crowd.group.children[0] as THREE.InstancedMesh;
    const [first, second] = [new THREE.Matrix4(), new THREE.Matrix4()];
    mesh.getMatrixAt(0, first);
    mesh.getMatrixAt(1, second);
    const corner = (m: THREE.Matrix4) => new THREE.Vector3(-0.5, -0.5, -0.5).applyMatrix4(m).toArray();
    expect(corner(first).map((v) => Math.round(v * 1e6) / 1e6)).toEqual([2, 0, 0]);
    expect(corner(second)[0]).toBeCloseTo(7, 6);
    crowd.take(model(8), false);
    see(crowd, from());
    expect(crowd.group.children).not.toContain(mesh);
  });
});
