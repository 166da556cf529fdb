/** Dots: where a recipe would lay, before anything is laid; or handles that are pulled. They are not picked and cast no shadow. */
import * as THREE from "three";

import { drawAt } from "./positions";

const SIZE_PX = 5;
const HANDLE_PX = 9;
/** Metres by which they are drawn above the ground that they lie on. */
const RAISED = 0.01;

export class Dots {
  readonly points = new THREE.Points(
    new THREE.BufferGeometry(),
    new THREE.PointsMaterial({
      color: "#a9482a",
      size: SIZE_PX,
      sizeAttenuation: false,
      depthWrite: false,
      transparent: true,
      opacity: 0.8,
    }),
  );

  /** `handles`: larger, and seen through whatever is before them. */
  constructor(handles = false) {
    if (handles) {
      this.points.material.depthTest = false;
      this.points.material.size = HANDLE_PX;
    } else this.points.position.y = RAISED;
    this.points.renderOrder = 10;
    this.points.frustumCulled = false;
    this.points.visible = false;
  }

  /** x, y, z of each, one after the other. */
  show(at: readonly number[]): void {
    drawAt(this.points, new Float32Array(at));
  }

  dispose(): void {
    this.points.geometry.dispose();
    this.points.material.dispose();
  }
}
