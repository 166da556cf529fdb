/** A tape from point to point with its length written on it. */
import * as THREE from "three";

import type { PlumbLabel } from "../drawing/marks";
import { emptied } from "../drawing/marks";

const LINE = new THREE.LineBasicMaterial({ color: "#a9482a", depthTest: false, transparent: true });
const THIN = new THREE.LineDashedMaterial({
  color: "#22303a",
  depthTest: false,
  transparent: true,
  opacity: 0.55,
});
const OVER_ALL = 12;

export class Tape {
  readonly group = new THREE.Group();
  label: PlumbLabel | null = null;

  /** Stretch it; null rolls it up. */
  stretch(from: THREE.Vector3 | null, to: THREE.Vector3 | null, text: string): void {
    emptied(this.group);
    this.label = null;
    if (!from || !to) return;
    const corner = new THREE.Vector3(to.x, from.y, to.z);
    for (const [a, b, material] of [
      [from, to, LINE],
      [from, corner, THIN],
      [corner, to, THIN],
    ] as const) {
      const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints([a, b]), material);
      line.renderOrder = OVER_ALL;
      this.group.add(line);
    }
    this.label = { at: from.clone().lerp(to, 0.5), text };
  }
}
