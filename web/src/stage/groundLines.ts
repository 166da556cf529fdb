/** Thin lines on the ground that tell of a recipe: they are not picked and cast no shadow. */
import * as THREE from "three";

import { drawAt } from "./positions";

export class GroundLines {
  readonly lines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;

  /** `through`: seen through whatever is before them. */
  constructor(color: string, opacity: number, through: boolean) {
    const material = new THREE.LineBasicMaterial({ color, opacity, transparent: true, depthWrite: false });
    material.depthTest = !through;
    this.lines = new THREE.LineSegments(new THREE.BufferGeometry(), material);
    this.lines.renderOrder = through ? 9 : 8;
    this.lines.frustumCulled = false;
    this.lines.visible = false;
  }

  /** Both ends of each, x, y, z one after the other. */
  show(ends: Float32Array): void {
    drawAt(this.lines, ends);
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.lines.material.dispose();
  }
}
