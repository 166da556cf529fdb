/** What is drawn about a piece and never stands on the set: spike marks, the plumb line, and the ghost. */
import * as THREE from "three";

import type { Fit, Piece, Pose } from "../api/client";
import { isFault } from "../fit/Glyph";
import type { Model } from "./models";
import { matrixOf } from "./matrixOf";

const TAPE = new THREE.MeshBasicMaterial({
  color: "#fffdf8",
  polygonOffset: true,
  polygonOffsetFactor: -2,
  polygonOffsetUnits: -2,
  side: THREE.DoubleSide,
});
const TAPE_EDGE = new THREE.MeshBasicMaterial({
  color: "#a9482a",
  polygonOffset: true,
  polygonOffsetFactor: -1,
  polygonOffsetUnits: -1,
  side: THREE.DoubleSide,
});
const PLUMB = new THREE.LineBasicMaterial({ color: "#a9482a", depthTest: false, transparent: true });
const PLUMB_HIDDEN = 10;

/** Nothing in it any more, and nothing of it left in the memory of the graphics card. */
export function emptied(group: THREE.Group): void {
  group.traverse((node) => {
    if (node instanceof THREE.Mesh || node instanceof THREE.Line)
      (node as THREE.Mesh<THREE.BufferGeometry>).geometry.dispose();
  });
  group.clear();
}

function strip(length: number, width: number, material: THREE.Material): THREE.Mesh {
  const mesh = new THREE.Mesh(new THREE.PlaneGeometry(length, width), material);
  mesh.rotation.x = -Math.PI / 2;
  return mesh;
}

/** Four corner tapes round the footprint, on the bearing surface, as a stage floor is marked. */
function tapes(half: THREE.Vector2, lift: number): THREE.Group {
  const group = new THREE.Group();
  const arm = Math.min(0.09, Math.max(0.018, 0.42 * Math.min(half.x, half.y)));
  const width = arm * 0.3;
  for (const sx of [-1, 1])
    for (const sz of [-1, 1]) {
      const x = sx * (half.x + width);
      const z = sz * (half.y + width);
      for (const [material, grow, up] of [
        [TAPE_EDGE, width * 0.36, 0],
        [TAPE, 0, lift * 0.35],
      ] as const) {
        const along = strip(arm + grow, width + grow, material);
        along.position.set(x - sx * (arm / 2 - width / 2), lift + up, z);
        const across = strip(width + grow, arm + grow, material);
        across.position.set(x, lift + up, z - sz * (arm / 2 - width / 2));
        group.add(along, across);
      }
    }
  return group;
}

export interface PlumbLabel {
  at: THREE.Vector3;
  text: string;
  /** It says what is as it should be. */
  quiet?: boolean;
}

/** Tapes and plumb line of one selected piece. `label` is where the gap is to be written. */
export function spikeMarks(
  piece: Piece,
  fit: Fit | undefined,
  frame: { box: THREE.Box3; matrix: THREE.Matrix4 },
  write: (fit: Fit) => string,
): { group: THREE.Group; label: PlumbLabel | null } {
  const group = new THREE.Group();
  const up = new THREE.Vector3(...piece.direction).negate();
  const toUp = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 1, 0), up);
  const position = new THREE.Vector3().setFromMatrixPosition(frame.matrix);
  const rotation = new THREE.Quaternion().setFromRotationMatrix(frame.matrix);
  // The footprint follows the piece's own turn about the way it stands.
  const front = new THREE.Vector3(0, 0, 1).applyQuaternion(rotation).applyQuaternion(toUp.clone().invert());
  const turn = Math.hypot(front.x, front.z) > 0.2 ? Math.atan2(front.x, front.z) : 0;
  const base = toUp
    .clone()
    .multiply(new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 1, 0), turn));
  const toBase = new THREE.Matrix4().compose(position, base, new THREE.Vector3(1, 1, 1)).invert();
  const local = frame.box.clone().applyMatrix4(toBase.multiply(frame.matrix));
  const half = new THREE.Vector2((local.max.x - local.min.x) / 2, (local.max.z - local.min.z) / 2);
  const middle = new THREE.Vector3(
    (local.max.x + local.min.x) / 2,
    local.min.y,
    (local.max.z + local.min.z) / 2,
  );
  const gap = fit?.gap ?? 0;
  middle.y -= gap;
  const size = Math.max(half.x, half.y);
  const marks = tapes(half, Math.min(0.0015, 0.01 * size));
  marks.position.copy(middle.applyQuaternion(base).add(position));
  marks.quaternion.copy(base);
  group.add(marks);
  const foot = fit?.touch ? new THREE.Vector3(...fit.touch) : marks.position.clone();
  const top = foot.clone();
  if (gap > 0) {
    // The touch point is where it would land; the plumb line hangs from the piece down to there.
    foot.addScaledVector(up, -gap);
    const on = new THREE.BufferGeometry().setFromPoints([top, foot]);
    const line = new THREE.Line(on, PLUMB);
    line.renderOrder = PLUMB_HIDDEN;
    const tick = size * 0.12;
    const side = new THREE.Vector3(1, 0, 0).applyQuaternion(base).multiplyScalar(tick);
    for (const end of [top, foot]) {
      const bar = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints([end.clone().sub(side), end.clone().add(side)]),
        PLUMB,
      );
      bar.renderOrder = PLUMB_HIDDEN;
      group.add(bar);
    }
    group.add(line);
  }
  const label = fit
    ? { at: top.clone().lerp(foot, 0.5), text: write(fit), quiet: !isFault(fit.state) }
    : null;
  return { group, label };
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
