/** The drawn stage: what stands on it, what is marked, and drawing only when something changed. */
import * as THREE from "three";

import type { Fit, Piece, Triple } from "../api/client";
import type { Look } from "../drawing/looks";
import { emptied } from "../drawing/marks";
import { Aim } from "./aim";
import { Cameraman } from "./camera";
import { Compiling } from "./compiling";
import { EMPTY_SCENE, Layers, type Scene } from "./layers";
import { Lighting } from "./lighting";
import { Overlay } from "./overlay";
import { Pictures } from "./pictures";
import { type ModelsOf, Pieces } from "./pieces";
import { Puck, type PuckPart } from "./puck";
import { Regions } from "./regions";
import { standeeFigure } from "./standee";

export interface Labels {
  /** Called after each frame with where the labels stand on the screen, in CSS pixels. */
  place: (labels: { text: string; quiet: boolean; over: boolean; x: number; y: number }[]) => void;
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
  /** What the pointer meets. */
  readonly aim: Aim;
  readonly pictures: Pictures;
  private readonly compiling: Compiling;
  readonly puck = new Puck();
  private readonly overlay: Overlay;
  private readonly lighting: Lighting;
  private standee: THREE.Group | null = null;
  private waiting = false;
  private shown: Scene = EMPTY_SCENE;
  private shows = 0;
  private readonly watcher: ResizeObserver;
  private readonly over = new AbortController();

  constructor(
    private readonly host: HTMLElement,
    models: ModelsOf,
    private readonly labelled: Labels,
    quality: Quality,
    /** Takes hold of pieces on the server. */
    hold: (keys: string[]) => void,
    /** Told what could not be drawn. */
    fail: (problem: Error) => void,
    /** Told that the graphics card has let go of all that was drawn, and that it can draw again. */
    lost: (lost: boolean) => void,
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
      (model) => this.compiling.prepare(model),
    );
    this.regions = new Regions(drawn, () => this.redraw(true));
    this.scene.add(this.regions.group, this.pieces.group, this.puck.group);
    this.overlay = new Overlay(this.scene, this.pieces, (changed) => this.redraw(changed));
    this.cameraman = new Cameraman(canvas, () => this.redraw(false));
    this.aim = new Aim(host, this.cameraman, this.pieces, this.puck);
    this.compiling = new Compiling(this.renderer, this.scene, this.camera);
    this.pictures = new Pictures({
      renderer: this.renderer,
      scene: this.scene,
      camera: this.camera,
      sun: this.lighting.sun,
      pieces: this.pieces,
      marks: () => [this.regions.group, this.puck.group, ...this.overlay.objects()],
      see: (camera) => this.see(camera),
      again: (resized) => {
        if (resized) this.resize();
        this.redraw(resized);
      },
    });
    // The library itself sends everything to the card again.
    const { signal } = this.over;
    canvas.addEventListener("webglcontextlost", () => lost(true), { signal });
    canvas.addEventListener(
      "webglcontextrestored",
      () => {
        lost(false);
        void this.compiling.compiled(this.scene);
        this.redraw(true);
      },
      { signal },
    );
    // What marks are drawn with is compiled before the first of them is wanted.
    void this.compiling.compiled(this.scene);
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
    this.overlay.turnTo(this.camera, this.host.clientHeight);
    this.see(this.camera);
    this.renderer.render(this.scene, this.camera);
    const [puck, shown] = [this.puck.group, this.puck.group.visible];
    puck.visible = false;
    this.cameraman.drawPinned(this.renderer, this.scene, this.host.clientWidth, this.host.clientHeight);
    puck.visible = shown;
    this.drawnRevision = revision;
    const labels = this.overlay.labelsSeen(this.camera, this.host.clientWidth, this.host.clientHeight);
    this.labelled.place(
      labels.map(({ at, text, quiet, over }) => ({
        text,
        quiet: quiet ?? false,
        over: over ?? false,
        ...this.aim.onScreen(at),
      })),
    );
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
    this.pieces.see({ eyes, pixel: this.aim.pixel, seen });
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
    if (this.standee) {
      this.scene.remove(this.standee);
      emptied(this.standee);
    }
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
    if (differs("regionPoses")) this.regions.pull(scene.regionPoses);
    this.redraw(false);
    const overlay = this.overlay.show(scene, before);
    await this.pieces.draw(scene);
    await overlay;
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

  /** Lay the puck of bearers: at the foot of a wall, on top of a floor, and never larger than a hand needs it. */
  layPuckUnderBearers(keys: string[]): void {
    const box = this.pieces.worldBox(keys);
    if (box.isEmpty()) return this.layPuck([], null, [0, 1, 0]);
    const size = box.getSize(new THREE.Vector3());
    const at = box.getCenter(new THREE.Vector3());
    at.y = size.y > 0.5 * Math.min(size.x, size.z) ? box.min.y : box.max.y;
    this.puck.lay(
      at,
      new THREE.Vector3(0, 1, 0),
      Math.min(0.8, 0.56 * Math.hypot(size.x, size.z)),
      Math.min(size.y, 1.2),
    );
    this.redraw(false);
  }

  lightPuck(part: PuckPart | null): void {
    if (this.puck.light(part)) this.redraw(false);
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

  /** Mark these pieces, and write what `write` says of a single one. */
  setMarks(keys: string[], fits: ReadonlyMap<string, Fit>, write: (fit: Fit) => string): void {
    this.overlay.setMarks(keys, fits, write);
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
    this.over.abort();
    if (this.standee) emptied(this.standee);
    this.compiling.end();
    this.watcher.disconnect();
    this.overlay.dispose();
    this.cameraman.dispose();
    this.pieces.dispose();
    this.regions.dispose();
    this.renderer.dispose();
    // A browser keeps some sixteen contexts, and each until its canvas is collected.
    this.renderer.forceContextLoss();
    this.renderer.domElement.remove();
  }
}
