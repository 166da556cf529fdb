/** The light of the stage: a sun with shadows that fits what stands there, sky, and a little from the other side. */
import * as THREE from "three";

const MOST_RADIUS = 9;

export class Lighting {
  readonly sun = new THREE.DirectionalLight("#fff6e8", 2.2);

  constructor(scene: THREE.Scene, shadows: boolean) {
    scene.add(new THREE.HemisphereLight("#f7f6f2", "#a8a29a", 1.5));
    this.sun.castShadow = shadows;
    this.sun.shadow.mapSize.set(2048, 2048);
    this.sun.shadow.bias = -0.0004;
    this.sun.shadow.normalBias = 0.008;
    scene.add(this.sun, this.sun.target);
    const fill = new THREE.DirectionalLight("#dfe8f2", 0.5);
    fill.position.set(-4, 3, 5);
    scene.add(fill);
  }

  /** Let the shadows cover this box. */
  cover(box: THREE.Box3): void {
    if (box.isEmpty()) return;
    const centre = box.getCenter(new THREE.Vector3());
    const radius = Math.min(MOST_RADIUS, box.getSize(new THREE.Vector3()).length() / 2);
    this.sun.target.position.copy(centre);
    this.sun.position.copy(centre).add(new THREE.Vector3(0.62, 1.25, 0.85).multiplyScalar(radius * 1.4));
    const shadow = this.sun.shadow.camera;
    shadow.left = shadow.bottom = -radius;
    shadow.right = shadow.top = radius;
    shadow.near = 0.1;
    shadow.far = radius * 4.5;
    shadow.updateProjectionMatrix();
  }
}
