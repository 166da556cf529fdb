/** The drawn stage: what stands on it, what is marked, and drawing only when something changed. */
import * as THREE from "three";

import type { Fit, Piece, Triple } from "../api/client";
import { SeatMarks } from "../seats/SeatMarks";
import { TieLines } from "../ties/TieLines";
import { Cameraman } from "./camera";
import { CaughtMark } from "./CaughtMark";
import { Lighting } from "./lighting";
import { type Look, lookAt } from "../drawing/looks";
import { Dots } from "./dots";
import { GroundLines } from "./groundLines";
import { strokes } from "./hatching";
import { matrixOf } from "../drawing/matrixOf";
import { EMPTY_SCENE, type GhostOf, Layers, type Scene } from "./layers";
import { outlines } from "./rings";
import { Ghost, type PlumbLabel, emptied } from "../drawing/marks";
import { type Model, loadModel } from "../drawing/models";
import { type ModelsOf, Pieces } from "./pieces";
import { metOnPlane, nearestOnLine } from "../drawing/planes";
import { Puck, type PuckPart } from "./puck";
import { Regions } from "./regions";
import { type Marked, SpikeMarks, plumbLabel } from "./SpikeMarks";
import { standeeFigure } from "./standee";
import { softStill } from "./still";
import { Tape } from "./tape";

const SNAP_PX = 9;
/** Milliseconds between two looks at whether shaders are compiled, and how often is looked before they are waited for in a frame. */
const COMPILING_MS = 10;
const MOST_COMPILING = 2000;
const MOST_FLAGS = 60;
const FLAG_PX = { width: 44, height: 24 };

export interface Labels {
  /** Called after each frame with where the labels stand on the screen, in CSS pixels. */
  place: (labels: { text: string; quiet: boolean; x: number; y: number }[]) => void;
}

interface Quality {
  shadows: boolean;
  /** Draw copies of the props with fewer triangles; what is measured is always the true one. */
  light: boolean;
  scale: number;
  /** Triangles up to which everything is drawn as it is; beyond them, what is small on the screen is drawn more simply. */
  triangles: number;
}

/** `?quality=low` draws light copies without shadows at half the pixels, for machines without a graphics card. */
export function chosenQuality(): Quality {
  const low = new URLSearchParams(location.search).get("quality") === "low";
  return low
    ? { shadows: false, light: true, scale: 0.6, triangles: 150_000 }
    : { shadows: true, light: false, scale: Math.min(window.devicePixelRatio, 2), triangles: 3_000_000 };
}

/** Share of the distance from which all corners of a box are surely seen: along a direction that somebody looks in, less will do. */
const KEPT_NEARER = 0.7;

export class StageView {
  readonly scene = new THREE.Scene();
  readonly cameraman: Cameraman;
  readonly pieces: Pieces;
  readonly regions: Regions;
  /** All that is shown beside the set itself, by who shows it. */
  readonly layers: Layers;
  /** The set's revision that the last drawn frame shows. */
  drawnRevision = -1;
  private revision = -1;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly raycaster = new THREE.Raycaster();
  private readonly ghost = new Ghost();
  private readonly marks = new SpikeMarks();
  readonly puck = new Puck();
  private readonly tape = new Tape();
  private readonly seats = new SeatMarks();
  private readonly ties = new TieLines();
  private readonly caught = new CaughtMark();
  private readonly dots = new Dots();
  private readonly handles = new Dots(true);
  private readonly rings = new GroundLines("#5f6b72", 0.55, true);
  private readonly hatching = new GroundLines("#20303a", 0.45, false);
  private flags: PlumbLabel[] = [];
  private readonly lighting: Lighting;
  private standee: THREE.Group | null = null;
  private labels: PlumbLabel[] = [];
  private ghostLabel: PlumbLabel | null = null;
  private waiting = false;
  private disposed = false;
  private shown: Scene = EMPTY_SCENE;
  private shows = 0;
  private readonly watcher: ResizeObserver;

  constructor(
    private readonly host: HTMLElement,
    models: ModelsOf,
    private readonly labelled: Labels,
    quality: Quality,
    /** Takes hold of pieces on the server. */
    hold: (keys: string[]) => void,
    /** Told what could not be drawn. */
    fail: (problem: Error) => void,
  ) {
    this.layers = new Layers((scene) => this.showScene(scene), hold, fail);
    this.renderer = new THREE.WebGLRenderer({ antialias: quality.shadows, preserveDrawingBuffer: true });
    // Asking a shader for its errors waits for it to be compiled, in the middle of a frame.
    this.renderer.debug.checkShaderErrors = false;
    this.renderer.setPixelRatio(quality.scale);
    this.renderer.shadowMap.enabled = quality.shadows;
    this.renderer.shadowMap.type = THREE.PCFSoftShadowMap;
    this.renderer.shadowMap.autoUpdate = false;
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.renderer.toneMappingExposure = 1.02;
    const canvas = this.renderer.domElement;
    canvas.style.cssText = "display:block;width:100%;height:100%;touch-action:none";
    canvas.setAttribute(
      "aria-label",
      "The stage. Use the list of pieces under it or the keys shown by ? to work without a pointer.",
    );
    canvas.setAttribute("role", "img");
    host.append(canvas);
    this.setDim(false);
    this.lighting = new Lighting(this.scene, quality.shadows);
    const drawn = quality.light ? models.lightFile : models.file;
    this.pieces = new Pieces(
      { ...models, file: drawn },
      () => this.redraw(true),
      quality.shadows,
      quality.triangles,
      (model) => this.prepare(model),
    );
    this.regions = new Regions(drawn, () => this.redraw(true));
    this.scene.add(
      this.regions.group,
      this.pieces.group,
      this.ghost.group,
      this.marks.group,
      this.puck.group,
      this.tape.group,
      this.seats.group,
      this.ties.group,
      this.caught.group,
      this.dots.points,
      this.handles.points,
      this.rings.lines,
      this.hatching.lines,
    );
    this.ghost.hide();
    this.cameraman = new Cameraman(canvas, () => this.redraw(false));
    // What marks are drawn with is compiled before the first of them is wanted.
    void this.compiled(this.scene);
    this.watcher = new ResizeObserver(() => this.resize());
    this.watcher.observe(host);
    this.resize();
  }

  get camera(): THREE.PerspectiveCamera {
    return this.cameraman.camera;
  }

  get controls(): Cameraman["controls"] {
    return this.cameraman.controls;
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (!w || !h) return;
    this.renderer.setSize(w, h, false);
    this.cameraman.resize(w, h);
    this.redraw(false);
  }

  setDim(dim: boolean): void {
    this.scene.background = new THREE.Color(dim ? "#4a4f52" : "#e9e1d0");
    this.redraw(false);
  }

  /** Draw once, soon. `changed`: things moved, so the shadows are stale too. */
  redraw(changed: boolean): void {
    if (changed) this.renderer.shadowMap.needsUpdate = true;
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => this.draw());
  }

  private draw(): void {
    this.waiting = false;
    const revision = this.revision;
    this.puck.turnTo(this.camera, this.host.clientHeight);
    this.seats.turnTo(this.camera, this.host.clientHeight);
    this.caught.turnTo(this.camera, this.host.clientHeight);
    this.see(this.camera);
    this.renderer.render(this.scene, this.camera);
    const [puck, shown] = [this.puck.group, this.puck.group.visible];
    puck.visible = false;
    this.cameraman.drawPinned(this.renderer, this.scene, this.host.clientWidth, this.host.clientHeight);
    puck.visible = shown;
    this.drawnRevision = revision;
    const all = [
      ...this.labels,
      ...this.ties.labels,
      ...this.nearestFlags(),
      ...[this.ghostLabel, this.tape.label].filter((label) => label !== null),
    ];
    this.labelled.place(
      all.map(({ at, text, quiet }) => ({ text, quiet: quiet ?? false, ...this.onScreen(at) })),
    );
  }

  /** Have the shaders of a model compiled, without a frame that waits for it. */
  private async prepare(model: Model): Promise<void> {
    const copies = new THREE.Group();
    for (const { geometry, material } of model.parts) {
      const copy = new THREE.InstancedMesh(geometry, material, 1);
      copy.receiveShadow = this.renderer.shadowMap.enabled;
      copies.add(copy);
    }
    await this.compiled(copies);
  }

  /** Have all shaders compiled that something is drawn with. The library's own way to wait for that throws when the stage is left meanwhile. */
  private async compiled(what: THREE.Object3D): Promise<void> {
    const materials = this.renderer.compile(what, this.camera, this.scene);
    for (let round = 0; round < MOST_COMPILING && materials.size && !this.disposed; round++) {
      for (const material of materials) {
        const { currentProgram } = this.renderer.properties.get(material) as {
          currentProgram?: { isReady: () => boolean };
        };
        if (currentProgram?.isReady() ?? true) materials.delete(material);
      }
      if (materials.size) await new Promise((done) => setTimeout(done, COMPILING_MS));
    }
  }

  /** Choose how closely each piece is drawn for a frame by this camera. */
  private see(camera: THREE.PerspectiveCamera): void {
    camera.updateMatrixWorld();
    const pinned = this.cameraman.pinnedEye;
    const eyes = pinned ? [camera.position, pinned] : [camera.position];
    // What lies beside the picture is in the pinned one, or throws its shadow into this one.
    const beside = pinned !== null || this.renderer.shadowMap.enabled;
    const into = new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    const seen = beside ? null : new THREE.Frustum().setFromProjectionMatrix(into);
    this.pieces.see({ eyes, pixel: this.pixel, seen });
  }

  /** Keep how it looks from here in a small second view; again to let it go. */
  pin(on: boolean): void {
    this.cameraman.pin(on);
  }

  /** Walk round what is looked at until told to stop. */
  walk(on: boolean): void {
    this.cameraman.walk(on);
  }

  /** The cardboard person, standing at a point; null sends it away. */
  stand(at: Triple | null): void {
    if (this.standee) this.scene.remove(this.standee);
    this.standee = at ? standeeFigure() : null;
    if (this.standee && at) {
      this.standee.position.set(...at);
      const way = this.camera.position.clone().sub(this.standee.position);
      this.standee.rotation.y = Math.atan2(way.x, way.z);
      this.scene.add(this.standee);
    }
    this.redraw(true);
  }

  get hasStandee(): boolean {
    return this.standee !== null;
  }

  /** Draw a scene; what has not changed is left as it is. Resolves when all of it is there, and rejects when a model did not come. */
  private async showScene(scene: Scene): Promise<void> {
    const before = this.shown;
    this.shown = scene;
    const differs = (field: keyof Scene) => scene[field] !== before[field];
    if (differs("tape"))
      this.tape.stretch(scene.tape?.from ?? null, scene.tape?.to ?? null, scene.tape?.text ?? "");
    if (differs("seats")) this.seats.show(scene.seats);
    if (differs("caught")) this.caught.show(scene.caught);
    if (differs("ties")) this.ties.show(...scene.ties);
    if (differs("dots")) this.dots.show(scene.dots);
    if (differs("handles")) this.handles.show(scene.handles);
    if (differs("barred")) this.hatching.show(strokes(scene.barred));
    if (differs("rings")) this.rings.show(outlines(scene.rings));
    if (differs("flags"))
      this.flags = scene.flags.map(({ at, text }) => ({ at: new THREE.Vector3(...at), text, quiet: true }));
    if (differs("regionPoses")) this.regions.pull(scene.regionPoses);
    if (differs("standIns")) this.drawStandIns(before.standIns, scene.standIns);
    this.redraw(false);
    const ghost = differs("ghost") ? this.drawGhost(scene.ghost) : null;
    await this.pieces.draw(scene);
    await ghost;
  }

  private drawStandIns(before: Scene["standIns"], now: Scene["standIns"]): void {
    for (const { object } of before.values()) this.scene.remove(object);
    for (const [key, { object, pose }] of now) {
      object.matrixAutoUpdate = false;
      matrixOf(pose, object.matrix);
      object.matrixWorldNeedsUpdate = true;
      object.userData.standsFor = key;
      this.scene.add(object);
    }
    this.redraw(true);
  }

  private async drawGhost(ghost: GhostOf | null): Promise<void> {
    const model = ghost && (await loadModel(ghost.file));
    // Hidden, or shown elsewhere, while its model was still to come.
    if (ghost !== this.shown.ghost) return;
    if (ghost && model) this.ghost.show(model, ghost.pose, ghost.clashing);
    else this.ghost.hide();
    this.ghostLabel = ghost?.label ? { at: new THREE.Vector3(...ghost.at), text: ghost.label } : null;
    this.redraw(false);
  }

  /** The flags within the picture, the nearest first, and none over a nearer one. */
  private nearestFlags(): PlumbLabel[] {
    const { clientWidth: width, clientHeight: height } = this.host;
    const seen = this.flags.flatMap((flag) => {
      const { x, y, z } = flag.at.clone().project(this.camera);
      return Math.max(Math.abs(x), Math.abs(y), Math.abs(z)) < 1 ? [{ flag, x, y, z }] : [];
    });
    seen.sort((a, b) => a.z - b.z);
    const shown: typeof seen = [];
    for (const one of seen) {
      if (shown.length === MOST_FLAGS) break;
      const covered = shown.some(
        ({ x, y }) =>
          Math.abs(x - one.x) * width < 2 * FLAG_PX.width &&
          Math.abs(y - one.y) * height < 2 * FLAG_PX.height,
      );
      if (!covered) shown.push(one);
    }
    return shown.map(({ flag }) => flag);
  }

  /** Radians between two pixels in the middle of the view. */
  get pixel(): number {
    return (2 * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.host.clientHeight);
  }

  /** Lay the puck under these pieces; none takes it away. */
  layPuck(keys: string[], foot: Triple | null, up: Triple): void {
    const box = this.pieces.worldBox(keys);
    if (!keys.length || box.isEmpty()) {
      this.puck.hide();
    } else {
      const way = new THREE.Vector3(...up);
      const size = box.getSize(new THREE.Vector3());
      const middle = box.getCenter(new THREE.Vector3());
      const reach = 0.5 * (Math.abs(way.x) * size.x + Math.abs(way.y) * size.y + Math.abs(way.z) * size.z);
      const across = size
        .toArray()
        .map((s, i) => s * Math.sqrt(Math.max(0, 1 - [way.x, way.y, way.z][i]! ** 2)));
      const at = middle.clone().addScaledVector(way, -reach);
      if (foot) {
        // On the surface, where it would touch, under the middle.
        const down = way.dot(new THREE.Vector3(...foot).sub(at));
        at.addScaledVector(way, down);
      }
      this.puck.lay(at, way, 0.56 * Math.hypot(...across), 2 * reach);
    }
    this.redraw(false);
  }

  puckPart(x: number, y: number): PuckPart | null {
    if (!this.puck.visible) return null;
    this.aimRay(x, y);
    return this.puck.partAt(x, y, this.raycaster.ray, this.camera, this.host.clientHeight, (p) =>
      this.onScreen(p),
    );
  }

  lightPuck(part: PuckPart | null): void {
    if (this.puck.light(part)) this.redraw(false);
  }

  /** Keys of those of `keys` whose middle lies in a rectangle of the canvas. */
  within(keys: Iterable<string>, x0: number, y0: number, x1: number, y1: number): string[] {
    const forward = this.camera.getWorldDirection(new THREE.Vector3());
    return [...keys].filter((key) => {
      const box = this.pieces.worldBox([key]);
      if (box.isEmpty()) return false;
      const middle = box.getCenter(new THREE.Vector3());
      if (middle.clone().sub(this.camera.position).dot(forward) <= 0) return false;
      const p = this.onScreen(middle);
      return p.x >= x0 && p.x <= x1 && p.y >= y0 && p.y <= y1;
    });
  }

  /** What is seen now, without marks, as a small JPEG. */
  snapshot(width: number, height: number): string {
    return this.drawnBy(this.camera, width, height);
  }

  /** The same, from where these pieces fill the picture: from a corner, or in the direction that is `kept`. */
  pictureOf(keys: Iterable<string>, width: number, height: number, kept = false): string {
    const box = this.pieces.worldBox(keys);
    if (box.isEmpty()) return this.snapshot(width, height);
    const camera = this.camera.clone();
    camera.aspect = width / height;
    camera.updateProjectionMatrix();
    const [eye, target] = lookAt(box, "corner", camera);
    const back = camera
      .getWorldDirection(new THREE.Vector3())
      .multiplyScalar(-KEPT_NEARER * eye.distanceTo(target));
    camera.position.copy(kept ? target.clone().add(back) : eye);
    camera.lookAt(target);
    camera.updateMatrixWorld();
    return this.drawnBy(camera, width, height);
  }

  /** All that is drawn on the set and is not the set: no picture shows it. */
  private drawnMarks(): THREE.Object3D[] {
    const marks = [this.marks, this.puck, this.tape, this.ghost, this.seats, this.ties, this.caught];
    return [
      ...marks.map((m) => m.group),
      this.regions.group,
      this.dots.points,
      this.handles.points,
      this.rings.lines,
      this.hatching.lines,
    ];
  }

  private drawnBy(camera: THREE.PerspectiveCamera, width: number, height: number): string {
    const marks = this.drawnMarks();
    const shown = marks.map((group) => group.visible);
    marks.forEach((group) => (group.visible = false));
    this.see(camera);
    this.renderer.render(this.scene, camera);
    marks.forEach((group, i) => (group.visible = shown[i]!));
    const out = document.createElement("canvas");
    [out.width, out.height] = [width, height];
    // The middle of what is drawn, in the shape of the picture.
    const { width: w, height: h } = this.canvas;
    const own = camera === this.camera;
    const scale = own ? Math.min(w / width, h / height) : 0;
    const [sw, sh] = own ? [width * scale, height * scale] : [w, h];
    out.getContext("2d")?.drawImage(this.canvas, (w - sw) / 2, (h - sh) / 2, sw, sh, 0, 0, width, height);
    this.redraw(false);
    return out.toDataURL("image/jpeg", 0.85);
  }

  /** A lit still with soft shadows, nothing but the set on it. Resolves to null when `onProgress` stopped it. */
  async proof(
    width: number,
    height: number,
    onProgress: (share: number) => boolean,
  ): Promise<HTMLCanvasElement | null> {
    const shadows = this.renderer.shadowMap.enabled;
    const ratio = this.renderer.getPixelRatio();
    this.pieces.dressForStill(true, true);
    this.see(this.camera);
    const still = await softStill(
      this.renderer,
      this.scene,
      this.camera,
      this.lighting.sun,
      this.drawnMarks(),
      width,
      height,
      onProgress,
    );
    this.renderer.setPixelRatio(ratio);
    this.renderer.shadowMap.enabled = this.lighting.sun.castShadow = shadows;
    this.pieces.dressForStill(false, shadows);
    this.resize();
    this.redraw(true);
    return still;
  }

  /** Where a world point is on the canvas, in CSS pixels. */
  onScreen(point: THREE.Vector3 | Triple): { x: number; y: number } {
    const p = (Array.isArray(point) ? new THREE.Vector3(...point) : point.clone()).project(this.camera);
    return { x: ((p.x + 1) / 2) * this.host.clientWidth, y: ((1 - p.y) / 2) * this.host.clientHeight };
  }

  /** The set stands so. Rejects when a model did not come; the others are shown all the same, and it is asked for again. */
  async show(pieces: ReadonlyMap<string, Piece>, revision: number): Promise<void> {
    const mine = ++this.shows;
    try {
      await this.layers.stand({ pieces });
    } finally {
      // A model that does not come keeps nothing else from being seen. What was to be shown before is not shown any more.
      if (mine === this.shows) {
        this.revision = revision;
        this.lighting.cover(this.pieces.worldBox());
        this.redraw(true);
      }
    }
  }

  /** A prop was made anew: draw its copies by the model that it has now. */
  async remodel(prop: string): Promise<void> {
    await this.pieces.remodel(prop);
    this.redraw(true);
  }

  private aimRay(x: number, y: number): void {
    const ndc = new THREE.Vector2((x / this.host.clientWidth) * 2 - 1, 1 - (y / this.host.clientHeight) * 2);
    this.raycaster.setFromCamera(ndc, this.camera);
  }

  ray(x: number, y: number): { origin: Triple; direction: Triple } {
    this.aimRay(x, y);
    const { origin, direction } = this.raycaster.ray;
    return { origin: origin.toArray(), direction: direction.toArray() };
  }

  /** Where the ray through a pixel meets the plane through `point` with `normal`. */
  onPlane(x: number, y: number, point: Triple, normal: Triple): Triple | null {
    this.aimRay(x, y);
    const met = metOnPlane(this.raycaster.ray, new THREE.Vector3(...point), new THREE.Vector3(...normal));
    return met?.toArray() ?? null;
  }

  /** Metres from `point` along the unit `direction` to what is nearest to the ray through a pixel. */
  alongLine(x: number, y: number, point: THREE.Vector3, direction: THREE.Vector3): number | null {
    this.aimRay(x, y);
    return nearestOnLine(this.raycaster.ray, point, direction);
  }

  /** The unit normal of the face under a pixel, towards the eye. */
  pickNormal(x: number, y: number): THREE.Vector3 | null {
    this.aimRay(x, y);
    const [a, b, c] = this.pieces.hit(this.raycaster)?.corners ?? [];
    if (!a || !b || !c) return null;
    const normal = b.clone().sub(a).cross(c.clone().sub(a)).normalize();
    return normal.dot(this.raycaster.ray.direction) > 0 ? normal.negate() : normal;
  }

  /** The point of the set in the middle of the view, or what is walked round when nothing is there. */
  middle(): Triple {
    const { clientWidth, clientHeight } = this.host;
    return this.pick(clientWidth / 2, clientHeight / 2)?.point.toArray() ?? this.controls.target.toArray();
  }

  /** Where a pixel meets the floor at height 0, when no piece is there. */
  onGround(x: number, y: number): THREE.Vector3 | null {
    const hit = this.onPlane(x, y, [0, 0, 0], [0, 1, 0]);
    return hit ? new THREE.Vector3(...hit) : null;
  }

  pick(x: number, y: number): { key: string; point: THREE.Vector3 } | null {
    this.aimRay(x, y);
    return this.pieces.pick(this.raycaster);
  }

  /** The point of a piece under a pixel, drawn to the nearest corner of its mesh when that is close. */
  pickPoint(x: number, y: number): THREE.Vector3 | null {
    this.aimRay(x, y);
    const hit = this.pieces.hit(this.raycaster);
    if (!hit) return null;
    const near = hit.corners
      .map((corner) => ({ corner, on: this.onScreen(corner) }))
      .map(({ corner, on }) => ({ corner, away: Math.hypot(on.x - x, on.y - y) }))
      .sort((a, b) => a.away - b.away)[0];
    return near && near.away < SNAP_PX ? near.corner : hit.point;
  }

  setMarks(keys: string[], fits: ReadonlyMap<string, Fit>, write: (fit: Fit) => string): void {
    const marked = keys.flatMap((key): Marked[] => {
      const piece = this.pieces.piece(key);
      const frame = this.pieces.frame(key);
      return piece && frame && piece.role !== "bearer" ? [{ piece, frame, fit: fits.get(key) }] : [];
    });
    this.marks.show(marked);
    const label = keys.length === 1 && marked[0] ? plumbLabel(marked[0], write) : null;
    this.labels = label ? [label] : [];
    this.redraw(false);
  }

  look(look: Look, keys?: Iterable<string>): void {
    this.cameraman.look(look, this.pieces.worldBox(keys));
  }

  lookThrough(at: Triple, azimuth: number, half: number): void {
    this.cameraman.lookThrough(at, azimuth, half);
  }

  /** Stand somewhere at once. */
  standAt(eye: Triple, target: Triple): void {
    this.cameraman.standAt(eye, target);
  }

  /** The directions on the floor that “right” and “away” of the screen mean now, snapped to the axes. */
  floorAxes(): { right: Triple; away: Triple } {
    return this.cameraman.floorAxes();
  }

  /** Geometries in the memory of the graphics card. */
  get geometries(): number {
    return this.renderer.info.memory.geometries;
  }

  get canvas(): HTMLCanvasElement {
    return this.renderer.domElement;
  }

  dispose(): void {
    this.disposed = true;
    this.watcher.disconnect();
    this.marks.dispose();
    this.dots.dispose();
    this.handles.dispose();
    this.rings.dispose();
    this.hatching.dispose();
    emptied(this.tape.group);
    emptied(this.seats.group);
    emptied(this.ties.group);
    emptied(this.caught.group);
    this.cameraman.dispose();
    this.pieces.dispose();
    this.regions.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
}
