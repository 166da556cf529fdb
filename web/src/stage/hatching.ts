/** Ground on which a recipe may lay nothing, hatched in quiet ink. It is not picked and casts no shadow. */
import * as THREE from "three";

/** Length of a stroke, as a share of how far the points are apart. */
const STROKE = 0.55;
/** Metres by which it is drawn above the ground. */
const RAISED = 0.012;

export class Hatching {
  readonly lines = new THREE.LineSegments(
    new THREE.BufferGeometry(),
    new THREE.LineBasicMaterial({ color: "#20303a", transparent: true, opacity: 0.45, depthWrite: false }),
  );

  constructor() {
    this.lines.renderOrder = 8;
    this.lines.frustumCulled = false;
    this.lines.visible = false;
  }

  /** One stroke at each point, x, y, z one after the other, which are some `apart` metres from each other. */
  show({ at, apart }: { at: number[]; apart: number }): void {
    this.lines.visible = at.length > 0;
    if (!at.length && !this.lines.geometry.hasAttribute("position")) return;
    this.lines.geometry.dispose();
    this.lines.geometry = new THREE.BufferGeometry();
    this.lines.geometry.setAttribute("position", new THREE.BufferAttribute(strokes(at, apart), 3));
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.lines.material.dispose();
  }
}

/** Both ends of every stroke: level, and all the same way. */
export function strokes(at: number[], apart: number): Float32Array {
  const reach = 0.5 * STROKE * apart * Math.SQRT1_2;
  const found = new Float32Array(2 * at.length);
  for (let k = 0; k < at.length; k += 3) {
    const [x, y, z] = [at[k]!, at[k + 1]! + RAISED, at[k + 2]!];
    found.set([x - reach, y, z - reach, x + reach, y, z + reach], 2 * k);
  }
  return found;
}
