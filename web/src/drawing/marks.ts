/** What is drawn about pieces and never stands on the set: what all marks share, and the ghost. */
import * as THREE from "three";

import type { Pose } from "../api/client";
import type { Model } from "./models";
import { matrixOf } from "./matrixOf";

/** Nothing in it any more, and nothing of it left in the memory of the graphics card. */
export function emptied(group: THREE.Group): void {
  group.traverse((node) => {
    if (node instanceof THREE.Mesh || node instanceof THREE.Line)
      (node as THREE.Mesh<THREE.BufferGeometry>).geometry.dispose();
  });
  group.clear();
}

export interface PlumbLabel {
  at: THREE.Vector3;
  text: string;
  /** It says what is as it should be. */
  quiet?: boolean;
  /** Written over it, not beside it. */
  over?: boolean;
}

const STRIPES = `
#include <dithering_fragment>
if (uHatch > 0.5) {
  float band = mod(gl_FragCoord.x + gl_FragCoord.y, 10.0);
  gl_FragColor = vec4(mix(gl_FragColor.rgb, vec3(0.40, 0.065, 0.023), band < 4.0 ? 0.92 : 0.1), 0.94);
}
`;

/** The prop as it would stand: pale while it sits freely, hatched where it would clash. */
export class Ghost {
  readonly group = new THREE.Group();
  private hatch = { value: 0 };
  private drawn: Model | null = null;

  show(model: Model, pose: Pose, clashing: boolean): void {
    if (this.drawn !== model) {
      this.group.clear();
      this.drawn = model;
      for (const part of model.parts) {
        const material = part.material.clone();
        material.transparent = true;
        material.opacity = 0.82;
        material.onBeforeCompile = (shader) => {
          shader.uniforms.uHatch = this.hatch;
          shader.fragmentShader = `uniform float uHatch;\n${shader.fragmentShader.replace("#include <dithering_fragment>", STRIPES)}`;
        };
        const mesh = new THREE.Mesh(part.geometry, material);
        mesh.matrixAutoUpdate = true;
        mesh.castShadow = true;
        this.group.add(mesh);
      }
    }
    this.hatch.value = clashing ? 1 : 0;
    matrixOf(pose).decompose(this.group.position, this.group.quaternion, this.group.scale);
    this.group.visible = true;
  }

  hide(): void {
    this.group.visible = false;
  }
}
