/** Level rings: how much elbow room each piece of a recipe has. They are not picked and cast no shadow. */
import * as THREE from "three";

import type { Triple } from "../api/client";

export interface Ring {
  at: Triple;
  /** Metres. */
  radius: number;
}

/** Straight parts of a ring, and rings that are drawn at most: more of them are no longer told apart. */
const PARTS = 28;
export const MOST_RINGS = 2000;

export class Rings {
  readonly lines = new THREE.LineSegments(
    new THREE.BufferGeometry(),
    new THREE.LineBasicMaterial({
      color: "#5f6b72",
      transparent: true,
      opacity: 0.55,
      depthTest: false,
      depthWrite: false,
    }),
  );

  constructor() {
    this.lines.renderOrder = 9;
    this.lines.frustumCulled = false;
    this.lines.visible = false;
  }

  show(rings: Ring[]): void {
    this.lines.visible = rings.length > 0;
    if (!rings.length && !this.lines.geometry.hasAttribute("position")) return;
    this.lines.geometry.dispose();
    this.lines.geometry = new THREE.BufferGeometry();
    this.lines.geometry.setAttribute("position", new THREE.BufferAttribute(outlines(rings), 3));
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.lines.material.dispose();
  }
}

/** Both ends of every straight part, x, y, z one after the other. */
export function outlines(rings: Ring[]): Float32Array {
  const shown = rings.slice(0, MOST_RINGS);
  const found = new Float32Array(shown.length * PARTS * 6);
  shown.forEach(({ at: [x, y, z], radius }, n) => {
    for (let k = 0; k < PARTS; k++)
      for (const end of [0, 1]) {
        const angle = (2 * Math.PI * (k + end)) / PARTS;
        found.set(
          [x + radius * Math.cos(angle), y, z + radius * Math.sin(angle)],
          (n * PARTS + k) * 6 + 3 * end,
        );
      }
  });
  return found;
}
