/** All pieces of a set, drawn as instances: one draw call for each part of a prop, however many copies stand. */
import * as THREE from "three";

import type { Piece, Pose } from "../api/client";
import { type Model, forgetModel, loadModel } from "./models";

export function matrixOf(pose: Pose, into = new THREE.Matrix4()): THREE.Matrix4 {
  return into.compose(
    new THREE.Vector3(...pose.position),
    new THREE.Quaternion(...pose.orientation),
    new THREE.Vector3(...pose.scale),
  );
}

interface Crowd {
  model: Model;
  meshes: THREE.InstancedMesh[];
  keys: string[];
  bearer: boolean;
}

const ROOM = 8;
/** What stands for the prop in the name of a crowd that is drawn by a model of its own. */
const OWN_SHAPE = "shape:";
const RETRY_MS = [1000, 2000, 5000, 15_000];

export class Pieces {
  readonly group = new THREE.Group();
  private crowds = new Map<string, Crowd>();
  private standing: ReadonlyMap<string, Piece> = new Map();
  private guests: ReadonlyMap<string, Piece> = new Map();
  private absent: ReadonlySet<string> = new Set();
  private guestFiles: Readonly<Record<string, string>> = {};
  private shapes: ReadonlyMap<string, string> = new Map();
  private tried: ReadonlyMap<string, string> = new Map();
  /** What stands, and what visits. */
  private shown = new Map<string, Piece>();
  private hidden = new Set<string>();
  private overridden = new Map<string, Pose>();
  private pending = new Map<string, Promise<void>>();
  /** Crowds whose models did not come. */
  private missing = new Set<string>();
  private retrying: ReturnType<typeof setTimeout> | undefined;
  private tries = 0;
  private disposed = false;
  private seeThrough = false;

  constructor(
    private readonly fileOf: (prop: string) => string | undefined,
    private readonly redraw: () => void,
    private readonly shadows: boolean,
  ) {}

  /** Show exactly these pieces; resolves when all their models are on the stage. */
  async show(pieces: ReadonlyMap<string, Piece>): Promise<void> {
    this.standing = pieces;
    await this.gatherAll();
  }

  /** Besides, show `guests`, which are not on the set, and none of `absent`. `files`: models of props the store has not. */
  async visit(
    guests: ReadonlyMap<string, Piece>,
    files: Readonly<Record<string, string>>,
    absent: ReadonlySet<string>,
  ): Promise<void> {
    [this.guests, this.guestFiles, this.absent] = [guests, files, absent];
    await this.gatherAll();
  }

  private async gatherAll(): Promise<void> {
    // What was adopted stands, and its visit is over.
    const pieces = new Map([...this.guests, ...this.standing].filter(([key]) => !this.absent.has(key)));
    const touched = new Set<string>();
    for (const [key, old] of this.shown) if (pieces.get(key) !== old) touched.add(this.crowdName(old));
    for (const [key, piece] of pieces) if (this.shown.get(key) !== piece) touched.add(this.crowdName(piece));
    this.shown = pieces;
    await this.gatherThese([...touched, ...this.missing]);
  }

  /** Each for itself: a model that does not come keeps no other from being drawn. Rejects with the first problem. */
  private async gatherThese(names: string[]): Promise<void> {
    const found = await Promise.allSettled([...new Set(names)].map((name) => this.gather(name)));
    this.redraw();
    const failed = found.find((f) => f.status === "rejected");
    if (failed) throw failed.reason;
  }

  /** Those whose models did not come are asked for again, less and less often. */
  private tryAgain(): void {
    if (this.retrying || this.disposed) return;
    const wait = RETRY_MS[Math.min(this.tries++, RETRY_MS.length - 1)]!;
    this.retrying = setTimeout(() => {
      this.retrying = undefined;
      const names = [...this.missing];
      void this.gatherThese(names).then(
        () => (this.tries = 0),
        () => undefined,
      );
    }, wait);
  }

  /** A prop was made anew: load its model again and draw its copies by that. */
  async remodel(prop: string): Promise<void> {
    const names = ["prop", "bearer"].map((role) => `${role} ${prop}`).filter((name) => this.crowds.has(name));
    for (const name of names) {
      this.crowds.get(name)!.meshes.forEach((mesh) => {
        this.group.remove(mesh);
        mesh.dispose();
      });
      this.crowds.delete(name);
    }
    await this.gatherThese(names);
  }

  /** Draw these pieces by models of their own: walls that something is cut into. */
  async shape(shapes: ReadonlyMap<string, string>): Promise<void> {
    await this.reshape(() => (this.shapes = shapes));
  }

  /** The same while a change is only tried; of none to draw them as they are. */
  async tryShapes(shapes: ReadonlyMap<string, string>): Promise<void> {
    if (shapes.size || this.tried.size) await this.reshape(() => (this.tried = shapes));
  }

  private async reshape(change: () => void): Promise<void> {
    const before = new Map([...this.shown].map(([key, piece]) => [key, this.crowdName(piece)]));
    change();
    const touched = [...this.shown].flatMap(([key, piece]) => {
      const [was, is] = [before.get(key)!, this.crowdName(piece)];
      return was === is ? [] : [is, was];
    });
    // The new one is drawn before the old one goes, so that nothing flickers.
    for (const name of touched) await this.gatherThese([name]);
    this.forgetShapes();
  }

  /** Models of walls as they were are not kept. */
  private forgetShapes(): void {
    const used = new Set([...this.shown.values()].map((piece) => this.crowdName(piece)));
    for (const [name, crowd] of this.crowds) {
      if (used.has(name) || !name.includes(OWN_SHAPE)) continue;
      crowd.meshes.forEach((mesh) => {
        this.group.remove(mesh);
        mesh.dispose();
      });
      this.crowds.delete(name);
      forgetModel(name.slice(name.indexOf(OWN_SHAPE) + OWN_SHAPE.length));
    }
  }

  private crowdName(piece: Piece): string {
    const own = this.tried.get(piece.key) ?? this.shapes.get(piece.key);
    return own ? `${piece.role} ${OWN_SHAPE}${own}` : `${piece.role} ${piece.prop}`;
  }

  private async gather(name: string): Promise<void> {
    if (!this.crowds.has(name)) {
      const prop = name.slice(name.indexOf(" ") + 1);
      const own = prop.startsWith(OWN_SHAPE) ? prop.slice(OWN_SHAPE.length) : undefined;
      const file = own ?? this.fileOf(prop) ?? this.guestFiles[prop];
      if (!file) return;
      let loading = this.pending.get(name);
      if (!loading) {
        loading = loadModel(file)
          .then(
            (model) => {
              this.crowds.set(name, { model, meshes: [], keys: [], bearer: name.startsWith("bearer ") });
              this.missing.delete(name);
            },
            (problem: unknown) => {
              this.missing.add(name);
              this.tryAgain();
              throw problem;
            },
          )
          .finally(() => this.pending.delete(name));
        this.pending.set(name, loading);
      }
      await loading;
    }
    this.fill(name);
  }

  private fill(name: string): void {
    const crowd = this.crowds.get(name);
    if (!crowd) return;
    const members = [...this.shown.values()].filter(
      (p) => this.crowdName(p) === name && !this.hidden.has(p.key),
    );
    crowd.keys = members.map((p) => p.key);
    const room = crowd.meshes[0]?.instanceMatrix.count ?? 0;
    if (members.length > room) {
      crowd.meshes.forEach((mesh) => {
        this.group.remove(mesh);
        mesh.dispose();
      });
      const wanted = crowd.bearer ? members.length : Math.max(ROOM, 2 * members.length);
      crowd.meshes = crowd.model.parts.map((part) => {
        const mesh = new THREE.InstancedMesh(part.geometry, part.material, wanted);
        mesh.castShadow = this.shadows;
        mesh.receiveShadow = this.shadows;
        mesh.userData.crowd = name;
        this.group.add(mesh);
        return mesh;
      });
      this.dress(crowd);
    }
    const matrix = new THREE.Matrix4();
    for (const mesh of crowd.meshes) {
      members.forEach((piece, i) =>
        mesh.setMatrixAt(i, matrixOf(this.overridden.get(piece.key) ?? piece.pose, matrix)),
      );
      mesh.count = members.length;
      mesh.instanceMatrix.needsUpdate = true;
      mesh.boundingSphere = null;
      mesh.boundingBox = null;
      mesh.visible = members.length > 0;
    }
  }

  private dress(crowd: Crowd): void {
    if (!crowd.bearer) return;
    for (const { material } of crowd.model.parts) {
      material.transparent = this.seeThrough;
      material.opacity = this.seeThrough ? 0.28 : 1;
      material.depthWrite = !this.seeThrough;
      material.needsUpdate = true;
    }
  }

  setSeeThrough(on: boolean): void {
    this.seeThrough = on;
    this.crowds.forEach((crowd) => this.dress(crowd));
    this.redraw();
  }

  /** Draw one piece elsewhere while it is being moved; null puts it back. */
  override(key: string, pose: Pose | null): void {
    this.overrideAll(new Map([[key, pose]]));
  }

  /** The same for many at once. */
  overrideAll(poses: ReadonlyMap<string, Pose | null>): void {
    const touched = new Set<string>();
    for (const [key, pose] of poses) {
      if (pose) this.overridden.set(key, pose);
      else this.overridden.delete(key);
      const piece = this.shown.get(key);
      if (piece) touched.add(this.crowdName(piece));
    }
    touched.forEach((name) => this.fill(name));
    this.redraw();
  }

  hide(keys: Iterable<string>): void {
    this.hidden = new Set(keys);
    for (const name of this.crowds.keys()) this.fill(name);
    this.redraw();
  }

  /** Nearest piece under a ray, and where. */
  pick(raycaster: THREE.Raycaster): { key: string; point: THREE.Vector3 } | null {
    const hit = raycaster.intersectObjects(this.group.children, false)[0];
    if (!hit || hit.instanceId === undefined) return null;
    const crowd = this.crowds.get(hit.object.userData.crowd as string);
    const key = crowd?.keys[hit.instanceId];
    return key ? { key, point: hit.point } : null;
  }

  /** The same with the corners of the triangle hit, in the world. */
  hit(raycaster: THREE.Raycaster): { point: THREE.Vector3; corners: THREE.Vector3[] } | null {
    const hit = raycaster.intersectObjects(this.group.children, false)[0];
    if (!hit?.face || hit.instanceId === undefined) return null;
    const mesh = hit.object as THREE.InstancedMesh;
    const matrix = new THREE.Matrix4();
    mesh.getMatrixAt(hit.instanceId, matrix);
    const positions = mesh.geometry.getAttribute("position");
    const corners = [hit.face.a, hit.face.b, hit.face.c].map((i) =>
      new THREE.Vector3().fromBufferAttribute(positions, i).applyMatrix4(matrix),
    );
    return { point: hit.point, corners };
  }

  castShadows(on: boolean): void {
    for (const crowd of this.crowds.values())
      for (const mesh of crowd.meshes) mesh.castShadow = mesh.receiveShadow = on;
  }

  piece(key: string): Piece | undefined {
    return this.shown.get(key);
  }

  /** Local box of a piece's model, and its pose as drawn. */
  frame(key: string): { box: THREE.Box3; matrix: THREE.Matrix4 } | null {
    const piece = this.shown.get(key);
    const crowd = piece && this.crowds.get(this.crowdName(piece));
    if (!piece || !crowd) return null;
    return { box: crowd.model.box, matrix: matrixOf(this.overridden.get(key) ?? piece.pose) };
  }

  worldBox(keys?: Iterable<string>): THREE.Box3 {
    const box = new THREE.Box3();
    for (const key of keys ?? this.shown.keys()) {
      const frame = this.frame(key);
      if (frame) box.union(frame.box.clone().applyMatrix4(frame.matrix));
    }
    return box;
  }

  dispose(): void {
    this.disposed = true;
    clearTimeout(this.retrying);
    this.crowds.forEach((crowd) => crowd.meshes.forEach((mesh) => mesh.dispose()));
    this.crowds.clear();
  }
}
