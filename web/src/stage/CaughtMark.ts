/** What the pointer has caught: a square at a corner, a bar across an edge, a lozenge at a middle, a ring at a centre, a dot on a face. */
import * as THREE from "three";

import type { Triple } from "../api/client";
import type { Caught } from "../api/live";
import { emptied } from "../drawing/marks";

const RADIUS_PX = 6;
const OVER_ALL = 13;
const INK = new THREE.LineBasicMaterial({ color: "#a9482a", depthTest: false, transparent: true });

const SIGNS: Record<Caught["what"], [number, number][]> = {
  corner: [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ],
  middle: [
    [0, -1.3],
    [1.3, 0],
    [0, 1.3],
    [-1.3, 0],
  ],
  edge: [
    [-1.4, -0.35],
    [1.4, -0.35],
    [1.4, 0.35],
    [-1.4, 0.35],
  ],
  centre: Array.from({ length: 18 }, (_, k) => [Math.cos((k * Math.PI) / 9), Math.sin((k * Math.PI) / 9)]),
  face: [
    [-0.35, -0.35],
    [0.35, -0.35],
    [0.35, 0.35],
    [-0.35, 0.35],
  ],
};

export interface CaughtSign {
  what: Caught["what"];
  point: Triple;
  ends: [Triple, Triple] | null;
}

export class CaughtMark {
  readonly group = new THREE.Group();
  private signs: THREE.Object3D[] = [];

  show(caught: readonly CaughtSign[]): void {
    emptied(this.group);
    this.signs = [];
    for (const { what, point, ends } of caught) {
      const corners = SIGNS[what].map(([x, y]) => new THREE.Vector3(x, y, 0));
      const sign = new THREE.LineLoop(new THREE.BufferGeometry().setFromPoints(corners), INK);
      sign.renderOrder = OVER_ALL;
      sign.position.set(...point);
      this.signs.push(sign);
      this.group.add(sign);
      if (!ends || what === "corner") continue;
      const line = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(ends.map((end) => new THREE.Vector3(...end))),
        INK,
      );
      line.renderOrder = OVER_ALL;
      this.group.add(line);
    }
  }

  /** Facing the eye, and of one size on the screen. */
  turnTo(camera: THREE.PerspectiveCamera, height: number): void {
    const perPixel = (2 * Math.tan((camera.fov * Math.PI) / 360)) / height;
    const forward = camera.getWorldDirection(new THREE.Vector3());
    for (const sign of this.signs) {
      sign.quaternion.copy(camera.quaternion);
      const depth = sign.position.clone().sub(camera.position).dot(forward);
      sign.scale.setScalar(Math.max(1e-6, depth * perPixel * RADIUS_PX));
    }
  }
}
