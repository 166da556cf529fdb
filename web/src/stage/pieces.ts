/** All pieces of a set, in crowds of one model each: one draw call for each part of a prop, however many copies stand. */
import * as THREE from "three";

import type { Piece, Pose } from "../api/client";
import { Crowd, type Viewpoint } from "./crowd";
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
  /** Of what recipes laid, how much is drawn; and what is drawn in any case. */
  private share = 1;
  private veiled: string | null = null;
  private unthinned: ReadonlySet<string> = new Set();
  private seeThrough = false;
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
    this.sort();
    await this.gatherThese([...touched, ...this.missing]);
  }

  private sort(): void {
    this.members = new Map();
    for (const piece of this.shown.values()) {
      if (!this.draws(piece)) continue;
      const name = this.crowdName(piece);
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
    this.boxes = new WeakMap();
    this.sort();
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
    for (const name of [...this.crowds.keys()]) {
      if (used.has(name) || !name.includes(OWN_SHAPE)) continue;
      this.drop(name);
      forgetModel(name.slice(name.indexOf(OWN_SHAPE) + OWN_SHAPE.length));
    }
  }

  private crowdName(piece: Piece): string {
    const own = this.tried.get(piece.key) ?? this.shapes.get(piece.key);
    return own ? `${piece.role} ${OWN_SHAPE}${own}` : `${piece.role} ${piece.prop}`;
  }

  private async gather(name: string): Promise<void> {
    const prop = name.slice(name.indexOf(" ") + 1);
    const own = prop.startsWith(OWN_SHAPE) ? prop.slice(OWN_SHAPE.length) : undefined;
    let crowd = this.crowds.get(name);
    if (!crowd?.model) {
      const file = own ?? this.models.file(prop) ?? this.guestFiles[prop];
      if (!file) return;
      if (!crowd) {
        // Seen as boxes until the model is there.
        crowd = new Crowd(name.startsWith("bearer "), own ? null : this.models.box(prop));
        crowd.dressAs(this.shadows, this.seeThrough);
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
    this.crowds.get(name)?.stand(this.members.get(name) ?? [], (key) => this.overridden.get(key));
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

  setSeeThrough(on: boolean): void {
    this.seeThrough = on;
    this.crowds.forEach((crowd) => crowd.dressAs(this.shadows, on));
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
    touched.forEach((name) => this.stand(name));
    this.redraw();
  }

  hide(keys: string[]): void {
    if (!keys.length && !this.hidden.size) return;
    this.hidden = new Set(keys);
    this.standAnew();
  }

  /** Leave one piece out of the picture, for something that is drawn in its place; null: none. */
  veil(key: string | null): void {
    if (key === this.veiled) return;
    this.veiled = key;
    this.standAnew();
  }

  /** Draw no more than this share of what recipes laid, and those of `keys`; a lit still shows all. */
  thin(share: number, keys: Iterable<string>): void {
    if (share >= 1 && this.share >= 1) return;
    [this.share, this.unthinned] = [share, new Set(keys)];
    this.standAnew();
  }

  /** Whether a piece is drawn, as far as what is left out of the picture goes. */
  draws(piece: Piece): boolean {
    return !this.hidden.has(piece.key) && piece.key !== this.veiled && !this.isThinned(piece);
  }

  private isThinned({ key, recipe, number }: Piece): boolean {
    if (this.share >= 1 || this.closely || !recipe || number === null) return false;
    return lotOf(number) >= this.share && !this.unthinned.has(key);
  }

  private standAnew(): void {
    this.sort();
    for (const name of this.crowds.keys()) this.stand(name);
    this.redraw();
  }

  /** Nearest piece under a ray, and where. */
  pick(raycaster: THREE.Raycaster): { key: string; point: THREE.Vector3 } | null {
    const hit = raycaster.intersectObject(this.group)[0];
    if (!hit || hit.instanceId === undefined) return null;
    const crowd = hit.object.parent?.userData.crowd as Crowd | undefined;
    const key = crowd?.keyOf(hit.object, hit.instanceId);
    return key ? { key, point: hit.point } : null;
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
    this.crowds.forEach((crowd) => crowd.dressAs(shadows, this.seeThrough));
    if (this.share < 1) this.standAnew();
  }

  piece(key: string): Piece | undefined {
    return this.shown.get(key);
  }

  /** Local box of a piece's model, and its pose as drawn. */
  frame(key: string): { box: THREE.Box3; matrix: THREE.Matrix4 } | null {
    const piece = this.shown.get(key);
    const crowd = piece && this.crowds.get(this.crowdName(piece));
    if (!piece || !crowd?.model) return null;
    return { box: crowd.model.box, matrix: matrixOf(this.overridden.get(key) ?? piece.pose) };
  }

  worldBox(keys?: Iterable<string>): THREE.Box3 {
    const box = new THREE.Box3();
    for (const key of keys ?? this.shown.keys()) {
      const own = this.boxOf(key);
      if (own) box.union(own);
    }
    return box;
  }

  /** Box of one piece in the world, as it is drawn; not to be changed. It is known for as long as the piece stands there. */
  private boxOf(key: string): THREE.Box3 | null {
    const piece = this.shown.get(key);
    const known = piece && !this.overridden.has(key) ? this.boxes.get(piece) : undefined;
    if (known) return known;
    const frame = this.frame(key);
    if (!piece || !frame) return null;
    const box = frame.box.clone().applyMatrix4(frame.matrix);
    if (!this.overridden.has(key)) this.boxes.set(piece, box);
    return box;
  }

  dispose(): void {
    this.disposed = true;
    clearTimeout(this.retrying);
    for (const name of [...this.crowds.keys()]) this.drop(name);
  }
}
