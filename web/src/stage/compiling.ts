/** Shaders are compiled before the first frame that needs them, so that no frame waits for it. */
import * as THREE from "three";

import type { Model } from "../drawing/models";

/** Milliseconds between two looks at whether shaders are compiled, and how often is looked before they are waited for in a frame. */
const COMPILING_MS = 10;
const MOST_COMPILING = 2000;

export class Compiling {
  private over = false;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly scene: THREE.Scene,
    private readonly camera: THREE.PerspectiveCamera,
  ) {}

  /** Have the shaders of a model compiled, without a frame that waits for it. */
  async prepare(model: Model): Promise<void> {
    const copies = new THREE.Group();
    for (const { geometry, material } of model.parts) {
      const copy = new THREE.InstancedMesh(geometry, material, 1);
      copy.receiveShadow = this.renderer.shadowMap.enabled;
      copies.add(copy);
    }
    await this.compiled(copies);
  }

  /** Have all shaders compiled that something is drawn with. The library's own way to wait for that throws when the stage is left meanwhile. */
  async compiled(what: THREE.Object3D): Promise<void> {
    const materials = this.renderer.compile(what, this.camera, this.scene);
    for (let round = 0; round < MOST_COMPILING && materials.size && !this.over; round++) {
      for (const material of materials) {
        const { currentProgram } = this.renderer.properties.get(material) as {
          currentProgram?: { isReady: () => boolean };
        };
        if (currentProgram?.isReady() ?? true) materials.delete(material);
      }
      if (materials.size) await new Promise((done) => setTimeout(done, COMPILING_MS));
    }
  }

  /** Nobody waits any more. */
  end(): void {
    this.over = true;
  }
}
