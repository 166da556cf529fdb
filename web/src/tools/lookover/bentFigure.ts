/** A jointed piece drawn as its limbs would be turned, in the place of the piece itself, while one of them is pulled. */
import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

import type { Schemas } from "../../api/client";

type Turn = Schemas["TurnSchema"];
const AXES = {
  x: new THREE.Vector3(1, 0, 0),
  y: new THREE.Vector3(0, 1, 0),
  z: new THREE.Vector3(0, 0, 1),
};

export class BentFigure {
  private readonly straight = new Map<THREE.Object3D, THREE.Quaternion>();

  constructor(readonly group: THREE.Group) {
    group.traverse((node) => {
      this.straight.set(node, node.quaternion.clone());
      node.castShadow = true;
    });
  }

  /** The figure of a model's file, as it came: with none of its joints turned. Rejects where it cannot be loaded. */
  static async of(file: string): Promise<BentFigure> {
    const gltf = await new GLTFLoader().loadAsync(file);
    return new BentFigure(gltf.scene);
  }

  /** Turn its joints, each about one of its own axes, one after the other. */
  bend(turns: Turn[]): void {
    for (const [node, straight] of this.straight) node.quaternion.copy(straight);
    for (const { joint, axis, degrees } of turns)
      this.group
        .getObjectByName(THREE.PropertyBinding.sanitizeNodeName(joint))
        ?.rotateOnAxis(AXES[axis], THREE.MathUtils.degToRad(degrees));
    this.group.updateMatrixWorld(true);
  }

  dispose(): void {
    this.group.traverse((node) => {
      if (!(node instanceof THREE.Mesh)) return;
      const mesh = node as THREE.Mesh<THREE.BufferGeometry, THREE.Material | THREE.Material[]>;
      mesh.geometry.dispose();
      for (const material of [mesh.material].flat()) {
        for (const value of Object.values(material)) if (value instanceof THREE.Texture) value.dispose();
        material.dispose();
      }
    });
  }
}
