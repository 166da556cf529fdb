/** All pieces of a set, in crowds of one model each: one draw call for each part of a prop, however many copies stand. */
import * as THREE from "three";

import type { Piece, Pose } from "../api/client";
import { Crowd, type Viewpoint } from "./crowd";
import { EMPTY_SCENE, type Scene } from "./layers";
import { matrixOf } from "../drawing/matrixOf";
import { type Model, forgetModel, loadModel } from "../drawing/models";

/** What stands for the prop in the name of a crowd that is drawn by a model of its own. */
const OWN_SHAPE = "shape:";
/** Times as large as usual is what is drawn simply, tried in turn until there are few enough triangles. */
const COARSER = [1, 1.5, 2.25, 3.4, 5];

/** Where models come from. */
export interface ModelsOf {
  /** Address of the model of a prop, when the prop is known here. */
  file: (prop: string) => string | undefined;
  /** Address of its light copy. */
  lightFile: (prop: string) => string | undefined;
  /** Its box in its own coordinates, when that is known before it has come. */
  box: (prop: string) => THREE.Box3 | null;
}

/** Where a number of a recipe comes in a row shuffled once and for all: 0 first, 1 last. */
const lotOf = (number: number) => (Math.imul(number, 0x9e3779b1) >>> 0) / 2 ** 32;
const RETRY_MS = [1000, 2000, 5000, 15_000];

export class Pieces {
  readonly group = new THREE.Group();
  private crowds = new Map<string, Crowd>();
  /** Who is in each crowd, those that are hidden left out. */
  private members = new Map<string, Piece[]>();
  /** What is drawn. */
  private scene: Scene = EMPTY_SCENE;
  /** The crowd that each piece there is in, by key. */
  private nameOf = new Map<string, string>();
  private pending = new Map<string, Promise<void>>();
  /** Crowds whose models did not come. */
  private missing = new Set<string>();
  private retrying: ReturnType<typeof setTimeout> | undefined;
  private tries = 0;
  private disposed = false;
  private closely = false;
  private boxes = new WeakMap<Piece, THREE.Box3>();
  private readonly lightening = new Set<string>();

  constructor(
    private readonly models: ModelsOf,
    private readonly redraw: () => void,
    private shadows: boolean,
    /** Triangles up to which all of them are drawn as they are. */
    private readonly mostTriangles = Infinity,
    /** Called with a model before it is first drawn. */
    private readonly prepare: (model: Model) => Promise<void> = () => Promise.resolve(),
  ) {}

  /** Draw exactly this; resolves when all models are on the stage, and rejects with the first problem. Only what has changed is touched. */
  async draw(scene: Scene): Promise<void> {
    if (this.disposed) return;
    const before = this.scene;
    this.scene = scene;
    const same = (...fields: (keyof Scene)[]) => fields.every((field) => scene[field] === before[field]);
    if (!same("seeThrough")) this.crowds.forEach((crowd) => crowd.dressAs(this.shadows, scene.seeThrough));
    const moved = same("poses") ? [] : this.movedSince(before.poses);
    if (same("pieces", "shapes", "veiled", "thinned", "files")) {
      moved.forEach((name) => this.stand(name));
      // What only marks the set, as a ghost under the pointer, leaves its shadows as they are.
      if (!same("poses", "seeThrough")) this.redraw();
      return;
    }
    if (!same("shapes")) this.boxes = new WeakMap();
    const names = this.nameOf;
    this.nameOf = new Map([...scene.pieces.values()].map((piece) => [piece.key, this.crowdName(piece)]));
    this.missOnlyWanted();
    const [gain, lose] = [new Set<string>(this.missing), new Set<string>(moved)];
    for (const [key, name] of names) if (this.nameOf.get(key) !== name) lose.add(name);
    for (const [key, name] of this.nameOf)
      if (names.get(key) !== name || before.pieces.get(key) !== scene.pieces.get(key)) gain.add(name);
    this.sort();
    if (!same("veiled", "thinned")) this.crowds.forEach((_, name) => this.stand(name));
    // A wall is drawn by its new model before the old one goes, so that nothing flickers.
    const own = [...gain].filter((name) => name.includes(OWN_SHAPE) && !this.crowds.get(name)?.model);
    if (own.length) await this.gatherThese(own);
    await this.gatherThese([...gain, ...lose].filter((name) => gain.has(name) || this.crowds.has(name)));
    this.forgetShapes();
  }

  /** The crowds of pieces that are drawn elsewhere than under the poses of before. */
  private movedSince(before: ReadonlyMap<string, Pose>): string[] {
    const { poses } = this.scene;
    const keys = new Set([...before.keys(), ...poses.keys()]);
    const touched = [...keys].flatMap((key) => {
      const name = this.nameOf.get(key);
      return name && before.get(key) !== poses.get(key) ? [name] : [];
    });
    return [...new Set(touched)];
  }

  private sort(): void {
    this.members = new Map();
    for (const piece of this.scene.pieces.values()) {
      if (!this.draws(piece)) continue;
      const name = this.nameOf.get(piece.key)!;
      const known = this.members.get(name);
      if (known) known.push(piece);
      else this.members.set(name, [piece]);
    }
  }

  /** Each for itself: a model that does not come keeps no other from being drawn. Rejects with the first problem. */
  private async gatherThese(names: string[]): Promise<void> {
    const found = await Promise.allSettled([...new Set(names)].map((name) => this.gather(name)));
    this.redraw();
    const failed = found.find((f) => f.status === "rejected");
    if (failed) throw failed.reason;
  }

  /** A model that nothing stands by any more is not asked for. */
  private missOnlyWanted(): void {
    if (!this.missing.size) return;
    const wanted = new Set(this.nameOf.values());
    for (const name of this.missing) if (!wanted.has(name)) this.missing.delete(name);
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
    const light = this.models.lightFile(prop);
    if (light) this.lightening.delete(light);
    const names = ["prop", "bearer"].map((role) => `${role} ${prop}`).filter((name) => this.crowds.has(name));
    for (const name of names) {
      // A model that is still on its way is the old one.
      this.pending.delete(name);
      this.drop(name);
    }
    this.boxes = new WeakMap();
    await this.gatherThese(names);
  }

  private drop(name: string): void {
    const crowd = this.crowds.get(name);
    if (!crowd) return;
    crowd.clear();
    this.group.remove(crowd.group);
    this.crowds.delete(name);
  }

  /** Models of walls as they were are not kept. */
  private forgetShapes(): void {
    const used = new Set(this.nameOf.values());
    for (const name of [...this.crowds.keys()]) {
      if (used.has(name) || !name.includes(OWN_SHAPE)) continue;
      this.drop(name);
      forgetModel(name.slice(name.indexOf(OWN_SHAPE) + OWN_SHAPE.length));
    }
  }

  private crowdName(piece: Piece): string {
    const own = this.scene.shapes.get(piece.key);
    return own ? `${piece.role} ${OWN_SHAPE}${own}` : `${piece.role} ${piece.prop}`;
  }

  private async gather(name: string): Promise<void> {
    const prop = name.slice(name.indexOf(" ") + 1);
    const own = prop.startsWith(OWN_SHAPE) ? prop.slice(OWN_SHAPE.length) : undefined;
    let crowd = this.crowds.get(name);
    if (!crowd?.model) {
      const file = own ?? this.models.file(prop) ?? this.scene.files.get(prop);
      if (!file) return;
      if (!crowd) {
        // Seen as boxes until the model is there.
        crowd = new Crowd(name.startsWith("bearer "), own ? null : this.models.box(prop));
        crowd.dressAs(this.shadows, this.scene.seeThrough);
        this.crowds.set(name, crowd);
        this.group.add(crowd.group);
        this.stand(name);
        this.redraw();
      }
      await this.load(name, file);
    }
    this.stand(name);
  }

  private load(name: string, file: string): Promise<void> {
    const known = this.pending.get(name);
    if (known) return known;
    const crowd = this.crowds.get(name);
    const loading = loadModel(file)
      .then((model) => this.prepare(model).then(() => model))
      .then(
        (model) => {
          crowd?.take(model, false);
          this.missing.delete(name);
        },
        (problem: unknown) => {
          this.missing.add(name);
          this.tryAgain();
          throw problem;
        },
      )
      .finally(() => {
        if (this.pending.get(name) === loading) this.pending.delete(name);
      });
    this.pending.set(name, loading);
    return loading;
  }

  private stand(name: string): void {
    this.crowds.get(name)?.stand(this.members.get(name) ?? [], (key) => this.scene.poses.get(key));
  }

  /** Draw what stands as closely as it is seen from there. Call it before each frame. */
  see(from: Viewpoint): void {
    let triangles = 0;
    for (const crowd of this.crowds.values()) triangles += crowd.triangles;
    const all = this.closely || triangles <= this.mostTriangles;
    for (const coarser of all ? [1] : COARSER) {
      let drawn = 0;
      for (const crowd of this.crowds.values()) drawn += crowd.choose(all ? null : from, coarser);
      if (drawn <= this.mostTriangles) break;
    }
    for (const [name, crowd] of this.crowds) {
      crowd.fill();
      if (!all && crowd.wantsLight) this.lighten(name, crowd);
    }
  }

  /** Ask for the light copy of a model, once. */
  private lighten(name: string, crowd: Crowd): void {
    const file = this.models.lightFile(name.slice(name.indexOf(" ") + 1));
    if (!file || this.lightening.has(file)) return;
    this.lightening.add(file);
    // Without it the true one is drawn, as ever.
    void loadModel(file).then(
      (model) => {
        if (this.disposed) return;
        crowd.take(model, true);
        this.redraw();
      },
      () => undefined,
    );
  }

  /** Whether a piece is drawn, as far as what is left out of the picture goes. */
  draws(piece: Piece): boolean {
    return !this.scene.veiled.has(piece.key) && !this.isThinned(piece);
  }

  private isThinned({ key, recipe, number }: Piece): boolean {
    const { share, spared } = this.scene.thinned;
    if (share >= 1 || this.closely || !recipe || number === null) return false;
    return lotOf(number) >= share && !spared.has(key);
  }

  private standAnew(): void {
    this.sort();
    for (const name of this.crowds.keys()) this.stand(name);
    this.redraw();
  }

  /** Nearest piece under a ray, and where. */
  /** The nearest piece that a ray meets, of those that count. */
  pick(
    raycaster: THREE.Raycaster,
    counts: (key: string) => boolean = () => true,
  ): { key: string; point: THREE.Vector3 } | null {
    for (const hit of raycaster.intersectObject(this.group)) {
      if (hit.instanceId === undefined) continue;
      const crowd = hit.object.parent?.userData.crowd as Crowd | undefined;
      const key = crowd?.keyOf(hit.object, hit.instanceId);
      if (key && counts(key)) return { key, point: hit.point };
    }
    return null;
  }

  /** The same with the corners of the triangle hit, in the world. */
  hit(raycaster: THREE.Raycaster): { point: THREE.Vector3; corners: THREE.Vector3[] } | null {
    const hit = raycaster.intersectObject(this.group)[0];
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

  /** For a lit still: everything as it is, and with shadows. */
  dressForStill(still: boolean, shadows: boolean): void {
    [this.closely, this.shadows] = [still, shadows];
    this.crowds.forEach((crowd) => crowd.dressAs(shadows, this.scene.seeThrough));
    if (this.scene.thinned.share < 1) this.standAnew();
  }

  piece(key: string): Piece | undefined {
    return this.scene.pieces.get(key);
  }

  /** Local box of a piece's model, and its pose as drawn. */
  frame(key: string): { box: THREE.Box3; matrix: THREE.Matrix4 } | null {
    const piece = this.scene.pieces.get(key);
    const crowd = piece && this.crowds.get(this.nameOf.get(key) ?? "");
    if (!piece || !crowd?.model) return null;
    return { box: crowd.model.box, matrix: matrixOf(this.scene.poses.get(key) ?? piece.pose) };
  }

  worldBox(keys?: Iterable<string>): THREE.Box3 {
    const box = new THREE.Box3();
    for (const key of keys ?? this.scene.pieces.keys()) {
      const own = this.boxOf(key);
      if (own) box.union(own);
    }
    return box;
  }

  /** Box of one piece in the world, as it is drawn; not to be changed. It is known for as long as the piece stands there. */
  private boxOf(key: string): THREE.Box3 | null {
    const piece = this.scene.pieces.get(key);
    const known = piece && !this.scene.poses.has(key) ? this.boxes.get(piece) : undefined;
    if (known) return known;
    const frame = this.frame(key);
    if (!piece || !frame) return null;
    const box = frame.box.clone().applyMatrix4(frame.matrix);
    if (!this.scene.poses.has(key)) this.boxes.set(piece, box);
    return box;
  }

  dispose(): void {
    this.disposed = true;
    clearTimeout(this.retrying);
    for (const name of [...this.crowds.keys()]) this.drop(name);
  }
}
