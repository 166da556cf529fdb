/** All copies of one model, drawn as instances: as they are, by a light copy or as boxes, each as closely as its size on the screen needs. */
import * as THREE from "three";

import type { Piece, Pose } from "../api/client";
import { matrixOf } from "../drawing/matrixOf";
import { type Model, trianglesOf } from "../drawing/models";

/** How closely a copy is drawn. */
export type Closeness = 0 | 1 | 2 | 3;
const NOT = 0;
const BOX = 1;
const LIGHT = 2;
const TRUE = 3;

const ROOM = 8;
/** Pixels across on the screen from which a light copy no longer does, and from which a box no longer does. */
const TRUE_PX = 90;
const LIGHT_PX = 9;
const BOX_TRIANGLES = 12;
/** Triangles from which there is a light copy of a model. */
const HEAVY_TRIANGLES = 600;

/** From where a frame is drawn: by one camera, or two at once. `pixel`: radians between two pixels; `seen`: what lies in it, null
 * where what lies beside it counts too. */
export interface Viewpoint {
  eyes: THREE.Vector3[];
  pixel: number;
  seen: THREE.Frustum | null;
}

interface Drawn {
  meshes: THREE.InstancedMesh[];
  /** Numbers of the members that are drawn so. */
  members: number[];
}

const unitBox = new THREE.BoxGeometry(1, 1, 1);
unitBox.computeBoundsTree?.();

export class Crowd {
  readonly group = new THREE.Group();
  /** The model itself; null until it has come. */
  model: Model | null = null;
  /** With far fewer triangles; null where there is none. */
  light: Model | null = null;
  keys: string[] = [];
  private matrices = new Float32Array(0);
  /** Middle and radius of each, in the world. */
  private spheres = new Float32Array(0);
  private closeness = new Uint8Array(0);
  private readonly drawn = new Map<Closeness, Drawn>();
  /** Members came, went or moved since it was last seen. */
  private stale = true;
  private shadows = false;
  private seeThrough = false;
  private readonly placed = new WeakMap<Piece, THREE.Matrix4>();

  constructor(
    readonly bearer: boolean,
    /** Box of the model in its own coordinates, known before it has come. */
    private readonly knownBox: THREE.Box3 | null,
  ) {
    this.group.userData.crowd = this;
  }

  get box(): THREE.Box3 | null {
    return this.model?.box ?? this.knownBox;
  }

  /** Triangles of all copies together, when each is drawn as it is. */
  get triangles(): number {
    return this.keys.length * (this.model?.triangles ?? BOX_TRIANGLES);
  }

  /** The model has come, or its light copy. What was drawn for it goes. */
  take(model: Model, light: boolean): void {
    if (light) this.light = model;
    else this.model = model;
    this.clear();
  }

  /** Who stands there. `poseOf`: where a piece is drawn instead, for as long as it is moved. */
  stand(members: Piece[], poseOf: (key: string) => Pose | undefined): void {
    this.keys = members.map((piece) => piece.key);
    if (this.matrices.length < 16 * members.length) {
      const room = Math.max(ROOM, 2 * members.length);
      this.matrices = new Float32Array(16 * room);
      this.spheres = new Float32Array(4 * room);
      this.closeness = new Uint8Array(room);
    }
    const box = this.box ?? new THREE.Box3(new THREE.Vector3(), new THREE.Vector3());
    const middle = box.getCenter(new THREE.Vector3());
    const radius = 0.5 * box.getSize(new THREE.Vector3()).length();
    const [at, tried] = [new THREE.Vector3(), new THREE.Matrix4()];
    members.forEach((piece, i) => {
      const pose = poseOf(piece.key);
      let matrix = this.placed.get(piece);
      if (pose) matrix = matrixOf(pose, tried);
      else if (!matrix) this.placed.set(piece, (matrix = matrixOf(piece.pose)));
      matrix.toArray(this.matrices, 16 * i);
      at.copy(middle)
        .applyMatrix4(matrix)
        .toArray(this.spheres, 4 * i);
      this.spheres[4 * i + 3] = radius * matrix.getMaxScaleOnAxis();
    });
    this.stale = true;
    this.group.visible = members.length > 0;
  }

  /** Choose how closely each copy is drawn: as it is seen, or as it is when `from` is null. Returns the triangles that takes.
   * `coarser`: times larger than usual is what is drawn simply. */
  choose(from: Viewpoint | null, coarser = 1): number {
    const best = this.model ? TRUE : this.knownBox ? BOX : NOT;
    const cost = [0, BOX_TRIANGLES, this.light?.triangles ?? 0, this.model?.triangles ?? 0];
    const sphere = new THREE.Sphere();
    let triangles = 0;
    for (let i = 0; i < this.keys.length; i++) {
      let level: Closeness = best;
      if (from && this.model) {
        sphere.center.fromArray(this.spheres, 4 * i);
        sphere.radius = this.spheres[4 * i + 3]!;
        level = this.levelOf(sphere, from, coarser);
      }
      triangles += cost[level]!;
      this.stale ||= this.closeness[i] !== level;
      this.closeness[i] = level;
    }
    return triangles;
  }

  /** Bring what is drawn up to what was chosen. */
  fill(): void {
    if (!this.stale) return;
    this.stale = false;
    const members: number[][] = [[], [], [], []];
    for (let i = 0; i < this.keys.length; i++) members[this.closeness[i]!]!.push(i);
    for (const level of [BOX, LIGHT, TRUE] as const) this.fillLevel(level, members[level]!);
  }

  private levelOf(sphere: THREE.Sphere, { eyes, pixel, seen }: Viewpoint, coarser: number): Closeness {
    if (this.bearer) return TRUE;
    if (seen && !seen.intersectsSphere(sphere)) return NOT;
    const nearest = Math.min(...eyes.map((eye) => eye.distanceToSquared(sphere.center)));
    const away = Math.max(1e-6, Math.sqrt(nearest) - sphere.radius);
    const across = (2 * sphere.radius) / (away * pixel * coarser);
    if (across < LIGHT_PX && this.model!.triangles > BOX_TRIANGLES) return BOX;
    return across < TRUE_PX && this.light ? LIGHT : TRUE;
  }

  /** Is it worth to ask for a light copy? */
  get wantsLight(): boolean {
    return this.light === null && !this.bearer && (this.model?.triangles ?? 0) > HEAVY_TRIANGLES;
  }

  private fillLevel(level: Closeness, members: number[]): void {
    let drawn = this.drawn.get(level);
    if (!drawn && !members.length) return;
    if (!drawn || members.length > (drawn.meshes[0]?.instanceMatrix.count ?? 0)) {
      this.drop(level);
      const wanted = this.bearer ? members.length : Math.max(ROOM, 2 * members.length);
      drawn = { meshes: this.meshesOf(level, wanted), members };
      this.drawn.set(level, drawn);
      this.dress();
    }
    drawn.members = members;
    const toBox = level === BOX ? this.boxMatrix() : null;
    const matrix = new THREE.Matrix4();
    for (const mesh of drawn.meshes) {
      const into = mesh.instanceMatrix.array as Float32Array;
      members.forEach((i, place) => {
        if (toBox)
          matrix
            .fromArray(this.matrices, 16 * i)
            .multiply(toBox)
            .toArray(into, 16 * place);
        else into.set(this.matrices.subarray(16 * i, 16 * i + 16), 16 * place);
      });
      mesh.count = members.length;
      mesh.instanceMatrix.needsUpdate = true;
      mesh.boundingSphere = null;
      mesh.boundingBox = null;
      mesh.visible = members.length > 0;
    }
  }

  private meshesOf(level: Closeness, wanted: number): THREE.InstancedMesh[] {
    const model = level === LIGHT ? this.light : this.model;
    const parts =
      level === BOX
        ? [{ geometry: unitBox, material: plain(this.light ?? this.model) }]
        : (model?.parts ?? []);
    return parts.map(({ geometry, material }) => {
      const mesh = new THREE.InstancedMesh(geometry, material, wanted);
      mesh.castShadow = mesh.receiveShadow = this.shadows;
      mesh.userData.closeness = level;
      this.group.add(mesh);
      return mesh;
    });
  }

  /** From a box of side 1 about the origin to that of the model. */
  private boxMatrix(): THREE.Matrix4 {
    const box = this.box ?? new THREE.Box3(new THREE.Vector3(), new THREE.Vector3());
    // A sheet has no thickness; its box must not be singular.
    const size = box.getSize(new THREE.Vector3()).max(new THREE.Vector3(1e-5, 1e-5, 1e-5));
    return new THREE.Matrix4().compose(box.getCenter(new THREE.Vector3()), new THREE.Quaternion(), size);
  }

  /** The member that an instance is. */
  keyOf(mesh: THREE.Object3D, instance: number): string | null {
    const member = this.drawn.get(mesh.userData.closeness as Closeness)?.members[instance];
    return member === undefined ? null : (this.keys[member] ?? null);
  }

  dressAs(shadows: boolean, seeThrough: boolean): void {
    [this.shadows, this.seeThrough] = [shadows, seeThrough];
    this.dress();
  }

  private dress(): void {
    for (const { meshes } of this.drawn.values())
      for (const mesh of meshes) {
        mesh.castShadow = mesh.receiveShadow = this.shadows;
        if (!this.bearer) continue;
        const material = mesh.material as THREE.MeshStandardMaterial;
        material.transparent = this.seeThrough;
        material.opacity = this.seeThrough ? 0.28 : 1;
        material.depthWrite = !this.seeThrough;
        material.needsUpdate = true;
      }
  }

  private drop(level: Closeness): void {
    for (const mesh of this.drawn.get(level)?.meshes ?? []) {
      this.group.remove(mesh);
      // The paint of boxes is this crowd's own; all other paint belongs to the models.
      if (level === BOX) (mesh.material as THREE.Material).dispose();
      mesh.dispose();
    }
    this.drawn.delete(level);
  }

  /** Take away all that is drawn; it is drawn anew when it is next seen. */
  clear(): void {
    for (const level of [...this.drawn.keys()]) this.drop(level);
    this.stale = true;
  }
}

/** What boxes are painted with: the colour of most of the model. */
function plain(model: Model | null): THREE.MeshStandardMaterial {
  const most = model?.parts.reduce((a, b) => (trianglesOf(b.geometry) > trianglesOf(a.geometry) ? b : a));
  const material = new THREE.MeshStandardMaterial({ color: "#b9a98c", roughness: 0.9 });
  if (most) material.color.copy(most.material.color);
  return material;
}
