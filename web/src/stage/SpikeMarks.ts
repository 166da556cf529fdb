/** What marks pieces that are selected: corner tapes round each footprint, as a stage floor is marked, and plumb lines down gaps.
 * However many are selected, they are a handful of drawn objects. */
import * as THREE from "three";

import type { Fit, Piece } from "../api/client";
import { isFault } from "../fit/Glyph";
import type { PlumbLabel } from "../drawing/marks";

const tapeOf = (color: string, offset: number) =>
  new THREE.MeshBasicMaterial({
    color,
    polygonOffset: true,
    polygonOffsetFactor: offset,
    polygonOffsetUnits: offset,
    side: THREE.DoubleSide,
  });
const TAPE = tapeOf("#fffdf8", -2);
const TAPE_EDGE = tapeOf("#a9482a", -1);
const PLUMB = new THREE.LineBasicMaterial({ color: "#a9482a", depthTest: false, transparent: true });
const PLUMB_HIDDEN = 10;
/** Four corners of two arms each. */
const ARMS = 8;
const ROOM = 16;
const UP = new THREE.Vector3(0, 1, 0);

/** A square of side 1 that lies on its back. */
const square = new THREE.PlaneGeometry(1, 1).rotateX(-Math.PI / 2);
square.computeBoundingBox();

export interface Marked {
  piece: Piece;
  fit: Fit | undefined;
  /** Box of its model, and where that is drawn. */
  frame: { box: THREE.Box3; matrix: THREE.Matrix4 };
}

/** Where the tapes of a piece lie: `base` from the footprint, y up its way, half as wide and deep as `half`. */
interface Footprint {
  base: THREE.Matrix4;
  half: THREE.Vector2;
  up: THREE.Vector3;
  side: THREE.Vector3;
}

function footprintOf({ piece, fit, frame }: Marked): Footprint {
  const up = new THREE.Vector3(...piece.direction).negate();
  const toUp = new THREE.Quaternion().setFromUnitVectors(UP, up);
  const position = new THREE.Vector3().setFromMatrixPosition(frame.matrix);
  const rotation = new THREE.Quaternion().setFromRotationMatrix(frame.matrix);
  // The footprint follows the piece's own turn about the way it stands.
  const front = new THREE.Vector3(0, 0, 1).applyQuaternion(rotation).applyQuaternion(toUp.clone().invert());
  const turn = Math.hypot(front.x, front.z) > 0.2 ? Math.atan2(front.x, front.z) : 0;
  const way = toUp.clone().multiply(new THREE.Quaternion().setFromAxisAngle(UP, turn));
  const one = new THREE.Vector3(1, 1, 1);
  const toBase = new THREE.Matrix4().compose(position, way, one).invert();
  const local = frame.box.clone().applyMatrix4(toBase.multiply(frame.matrix));
  const middle = local.getCenter(new THREE.Vector3()).setY(local.min.y - (fit?.gap ?? 0));
  const half = new THREE.Vector2((local.max.x - local.min.x) / 2, (local.max.z - local.min.z) / 2);
  return {
    base: new THREE.Matrix4().compose(middle.applyQuaternion(way).add(position), way, one),
    half,
    up,
    side: new THREE.Vector3(1, 0, 0).applyQuaternion(way),
  };
}

/** Write where a square lies: `wide` by `deep` metres about (x, y, z) of a base. */
function lay(
  into: Float32Array,
  place: number,
  base: number[],
  x: number,
  y: number,
  z: number,
  wide: number,
  deep: number,
): void {
  // prettier-ignore
  const at = 16 * place;
  for (let k = 0; k < 3; k++) {
    into[at + k] = base[k]! * wide;
    into[at + 4 + k] = base[4 + k]!;
    into[at + 8 + k] = base[8 + k]! * deep;
    into[at + 12 + k] = base[k]! * x + base[4 + k]! * y + base[8 + k]! * z + base[12 + k]!;
  }
  into[at + 15] = 1;
}

export class SpikeMarks {
  readonly group = new THREE.Group();
  private edges = this.copies(TAPE_EDGE, ROOM);
  private tapes = this.copies(TAPE, ROOM);
  private readonly plumb = new THREE.LineSegments(new THREE.BufferGeometry(), PLUMB);

  constructor() {
    this.plumb.renderOrder = PLUMB_HIDDEN;
    this.plumb.frustumCulled = false;
    this.group.add(this.plumb);
    this.show([]);
  }

  private copies(material: THREE.Material, room: number): THREE.InstancedMesh {
    const mesh = new THREE.InstancedMesh(square, material, room);
    mesh.frustumCulled = false;
    this.group.add(mesh);
    return mesh;
  }

  /** Mark exactly these. */
  show(marked: Marked[]): void {
    const count = ARMS * marked.length;
    if (count > this.tapes.instanceMatrix.count) {
      for (const old of [this.edges, this.tapes]) {
        this.group.remove(old);
        old.dispose();
      }
      this.edges = this.copies(TAPE_EDGE, 2 * count);
      this.tapes = this.copies(TAPE, 2 * count);
    }
    const lines: number[] = [];
    marked.forEach((one, n) => this.mark(one, n, lines));
    for (const mesh of [this.edges, this.tapes]) {
      mesh.count = count;
      mesh.visible = count > 0;
      mesh.instanceMatrix.needsUpdate = true;
    }
    this.plumb.geometry.dispose();
    this.plumb.geometry = new THREE.BufferGeometry();
    this.plumb.geometry.setAttribute("position", new THREE.Float32BufferAttribute(lines, 3));
    this.plumb.visible = lines.length > 0;
  }

  private mark(one: Marked, n: number, lines: number[]): void {
    const { base, half, up, side } = footprintOf(one);
    const size = Math.max(half.x, half.y);
    const lift = Math.min(0.0015, 0.01 * size);
    const arm = Math.min(0.09, Math.max(0.018, 0.42 * Math.min(half.x, half.y)));
    const width = arm * 0.3;
    let place = ARMS * n;
    for (const sx of [-1, 1])
      for (const sz of [-1, 1]) {
        const [x, z] = [sx * (half.x + width), sz * (half.y + width)];
        const [inX, inZ] = [x - sx * (arm / 2 - width / 2), z - sz * (arm / 2 - width / 2)];
        for (const [mesh, grow, y] of [
          [this.edges, width * 0.36, lift],
          [this.tapes, 0, lift * 1.35],
        ] as const) {
          const into = mesh.instanceMatrix.array as Float32Array;
          lay(into, place, base.elements, inX, y, z, arm + grow, width + grow);
          lay(into, place + 1, base.elements, x, y, inZ, width + grow, arm + grow);
        }
        place += 2;
      }
    const gap = one.fit?.gap ?? 0;
    if (gap <= 0) return;
    const { top, foot } = plumbOf(one, base, up);
    const tick = side.multiplyScalar(size * 0.12);
    const ends = [top, foot].flatMap((end) => [end.clone().sub(tick), end.clone().add(tick)]);
    for (const point of [top, foot, ...ends]) lines.push(...point.toArray());
  }

  dispose(): void {
    this.edges.dispose();
    this.tapes.dispose();
    this.plumb.geometry.dispose();
  }
}

/** The touch point is where it would land; the plumb line hangs from the piece down to there. */
function plumbOf(
  { fit }: Marked,
  base: THREE.Matrix4,
  up: THREE.Vector3,
): { top: THREE.Vector3; foot: THREE.Vector3 } {
  const top = fit?.touch ? new THREE.Vector3(...fit.touch) : new THREE.Vector3().setFromMatrixPosition(base);
  return { top, foot: top.clone().addScaledVector(up, -(fit?.gap ?? 0)) };
}

/** Where the gap of one piece is to be written; null when it has not been measured. */
export function plumbLabel(one: Marked, write: (fit: Fit) => string): PlumbLabel | null {
  if (!one.fit) return null;
  const { base, up } = footprintOf(one);
  const { top, foot } = plumbOf(one, base, up);
  return { at: top.lerp(foot, 0.5), text: write(one.fit), quiet: !isFault(one.fit.state) };
}
