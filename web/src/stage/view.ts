/** The drawn stage: scene, light, camera, and drawing only when something changed. */
import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

import type { Fit, Piece, Pose, Triple } from "../api/client";
import { type Look, lookAt, throughGap } from "./looks";
import { Ghost, type PlumbLabel, spikeMarks } from "./marks";
import { loadModel } from "./models";
import { Pieces } from "./pieces";

const GLIDE_MS = 260;

export interface Labels {
  /** Called after each frame with where the labels stand on the screen, in CSS pixels. */
  place: (labels: { text: string; x: number; y: number }[]) => void;
}

interface Quality {
  shadows: boolean;
  /** Draw copies of the props with fewer triangles; what is measured is always the true one. */
  light: boolean;
  scale: number;
}

/** `?quality=low` draws light copies without shadows at half the pixels, for machines without a graphics card. */
export function chosenQuality(): Quality {
  const low = new URLSearchParams(location.search).get("quality") === "low";
  return low
    ? { shadows: false, light: true, scale: 0.6 }
    : { shadows: true, light: false, scale: Math.min(window.devicePixelRatio, 2) };
}

export class StageView {
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.PerspectiveCamera(38, 1, 0.02, 200);
  readonly controls: OrbitControls;
  readonly pieces: Pieces;
  /** The set's revision that the last drawn frame shows. */
  drawnRevision = -1;
  private revision = -1;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly raycaster = new THREE.Raycaster();
  private readonly ghost = new Ghost();
  private readonly marks = new THREE.Group();
  private readonly sun: THREE.DirectionalLight;
  private labels: PlumbLabel[] = [];
  private ghostLabel: PlumbLabel | null = null;
  private waiting = false;
  private gliding = 0;
  private readonly watcher: ResizeObserver;

  constructor(
    private readonly host: HTMLElement,
    fileOf: (prop: string) => string | undefined,
    private readonly labelled: Labels,
    quality: Quality,
  ) {
    this.renderer = new THREE.WebGLRenderer({ antialias: quality.shadows, preserveDrawingBuffer: true });
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
    this.scene.add(new THREE.HemisphereLight("#f7f6f2", "#a8a29a", 1.5));
    this.sun = new THREE.DirectionalLight("#fff6e8", 2.2);
    this.sun.castShadow = quality.shadows;
    this.sun.shadow.mapSize.set(2048, 2048);
    this.sun.shadow.bias = -0.0004;
    this.sun.shadow.normalBias = 0.008;
    this.scene.add(this.sun, this.sun.target);
    const fill = new THREE.DirectionalLight("#dfe8f2", 0.5);
    fill.position.set(-4, 3, 5);
    this.scene.add(fill);
    const drawn = (prop: string) => {
      const file = fileOf(prop);
      return file && quality.light ? `${file}?light=true` : file;
    };
    this.pieces = new Pieces(drawn, () => this.redraw(true), quality.shadows);
    this.scene.add(this.pieces.group, this.ghost.group, this.marks);
    this.ghost.hide();
    this.controls = new OrbitControls(this.camera, canvas);
    // The left button belongs to the work; the right one walks round, both (or the middle) carry along.
    this.controls.mouseButtons = { LEFT: null, MIDDLE: THREE.MOUSE.PAN, RIGHT: THREE.MOUSE.ROTATE };
    this.controls.touches = { ONE: null, TWO: THREE.TOUCH.DOLLY_ROTATE };
    this.controls.zoomToCursor = true;
    this.controls.minDistance = 0.03;
    this.controls.maxDistance = 60;
    this.controls.addEventListener("change", () => this.redraw(false));
    this.watcher = new ResizeObserver(() => this.resize());
    this.watcher.observe(host);
    this.resize();
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (!w || !h) return;
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
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
    this.renderer.render(this.scene, this.camera);
    this.drawnRevision = revision;
    const all = this.ghostLabel ? [...this.labels, this.ghostLabel] : this.labels;
    this.labelled.place(all.map(({ at, text }) => ({ text, ...this.onScreen(at) })));
  }

  /** Where a world point is on the canvas, in CSS pixels. */
  onScreen(point: THREE.Vector3 | Triple): { x: number; y: number } {
    const p = (Array.isArray(point) ? new THREE.Vector3(...point) : point.clone()).project(this.camera);
    return { x: ((p.x + 1) / 2) * this.host.clientWidth, y: ((1 - p.y) / 2) * this.host.clientHeight };
  }

  async show(pieces: ReadonlyMap<string, Piece>, revision: number): Promise<void> {
    await this.pieces.show(pieces);
    this.revision = revision;
    this.lightUp();
    this.redraw(true);
  }

  private lightUp(): void {
    const box = this.pieces.worldBox();
    if (box.isEmpty()) return;
    const centre = box.getCenter(new THREE.Vector3());
    const radius = Math.min(9, box.getSize(new THREE.Vector3()).length() / 2);
    this.sun.target.position.copy(centre);
    this.sun.position.copy(centre).add(new THREE.Vector3(0.62, 1.25, 0.85).multiplyScalar(radius * 1.4));
    const shadow = this.sun.shadow.camera;
    shadow.left = shadow.bottom = -radius;
    shadow.right = shadow.top = radius;
    shadow.near = 0.1;
    shadow.far = radius * 4.5;
    shadow.updateProjectionMatrix();
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
    const n = new THREE.Vector3(...normal);
    const plane = new THREE.Plane(n, -n.dot(new THREE.Vector3(...point)));
    return this.raycaster.ray.intersectPlane(plane, new THREE.Vector3())?.toArray() ?? null;
  }

  pick(x: number, y: number): { key: string; point: THREE.Vector3 } | null {
    this.aimRay(x, y);
    return this.pieces.pick(this.raycaster);
  }

  async showGhost(
    file: string,
    pose: Pose,
    clashing: boolean,
    label: string | null,
    at: Triple,
  ): Promise<void> {
    const model = await loadModel(file);
    this.ghost.show(model, pose, clashing);
    this.ghostLabel = label ? { at: new THREE.Vector3(...at), text: label } : null;
    this.redraw(false);
  }

  hideGhost(): void {
    this.ghost.hide();
    this.ghostLabel = null;
    this.redraw(false);
  }

  setMarks(keys: string[], fits: ReadonlyMap<string, Fit>, write: (gap: number) => string): void {
    this.marks.clear();
    this.labels = [];
    for (const key of keys) {
      const piece = this.pieces.piece(key);
      const frame = this.pieces.frame(key);
      if (!piece || !frame || piece.role === "bearer") continue;
      const { group, label } = spikeMarks(piece, fits.get(key), frame, write);
      this.marks.add(group);
      if (label && keys.length === 1) this.labels.push(label);
    }
    this.redraw(false);
  }

  look(look: Look, keys?: Iterable<string>): void {
    const box = this.pieces.worldBox(keys);
    if (box.isEmpty()) return;
    const [eye, target] = lookAt(box, look, this.camera);
    this.glide(eye, target);
  }

  lookThrough(at: Triple, azimuth: number, half: number): void {
    const [eye, target] = throughGap(new THREE.Vector3(...at), azimuth, half, this.camera.position);
    this.glide(eye, target);
  }

  /** Stand somewhere at once. */
  standAt(eye: Triple, target: Triple): void {
    this.camera.position.set(...eye);
    this.controls.target.set(...target);
    this.controls.update();
    this.redraw(false);
  }

  /** Move there, quickly and visibly; at once for those who want less motion. */
  glide(eye: THREE.Vector3, target: THREE.Vector3): void {
    const turn = ++this.gliding;
    if (matchMedia("(prefers-reduced-motion: reduce)").matches) {
      this.standAt(eye.toArray(), target.toArray());
      return;
    }
    const from = this.camera.position.clone();
    const fromTarget = this.controls.target.clone();
    const start = performance.now();
    const step = (now: number) => {
      if (turn !== this.gliding) return;
      const t = Math.min(1, (now - start) / GLIDE_MS);
      const s = t * t * (3 - 2 * t);
      this.camera.position.lerpVectors(from, eye, s);
      this.controls.target.lerpVectors(fromTarget, target, s);
      this.controls.update();
      this.redraw(false);
      if (t < 1) requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  /** The directions on the floor that “right” and “away” of the screen mean now, snapped to the axes. */
  floorAxes(): { right: Triple; away: Triple } {
    const look = this.controls.target.clone().sub(this.camera.position).setY(0);
    if (look.lengthSq() < 1e-9) look.set(0, 0, -1);
    const away: Triple =
      Math.abs(look.x) > Math.abs(look.z) ? [Math.sign(look.x), 0, 0] : [0, 0, Math.sign(look.z)];
    return { away, right: [-away[2], 0, away[0]] };
  }

  get canvas(): HTMLCanvasElement {
    return this.renderer.domElement;
  }

  dispose(): void {
    this.watcher.disconnect();
    this.controls.dispose();
    this.pieces.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
}
