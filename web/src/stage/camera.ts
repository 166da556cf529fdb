/** Where the stage is looked at from: standing, gliding, walking round, and one more view pinned in a corner. */
import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

import type { Triple } from "../api/client";
import { type Look, lookAt, throughGap } from "../drawing/looks";

const GLIDE_MS = 260;
const WALK_ROUND_MS = 14_000;
const STEP_ROUND = Math.PI / 6;
/** Where the pinned view lies on the stage, in CSS pixels. */
export const PIN = { left: 12, bottom: 34, width: 272, height: 184 };

const lessMotion = () => matchMedia("(prefers-reduced-motion: reduce)").matches;

export class Cameraman {
  readonly camera = new THREE.PerspectiveCamera(38, 1, 0.02, 200);
  readonly controls: OrbitControls;
  private pinned: THREE.PerspectiveCamera | null = null;
  private walking = 0;
  private gliding = 0;

  constructor(
    canvas: HTMLCanvasElement,
    private readonly redraw: () => void,
  ) {
    this.controls = new OrbitControls(this.camera, canvas);
    // The left button belongs to the work; the right one walks round, both (or the middle) carry along.
    this.controls.mouseButtons = { LEFT: null, MIDDLE: THREE.MOUSE.PAN, RIGHT: THREE.MOUSE.ROTATE };
    this.controls.touches = { ONE: null, TWO: THREE.TOUCH.DOLLY_ROTATE };
    this.controls.zoomToCursor = true;
    this.controls.minDistance = 0.03;
    this.controls.maxDistance = 60;
    this.controls.addEventListener("change", redraw);
  }

  resize(width: number, height: number): void {
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
  }

  /** Keep how it looks from here in a small second view; again to let it go. */
  pin(on: boolean): void {
    this.pinned = on ? this.camera.clone() : null;
    if (this.pinned) {
      this.pinned.aspect = PIN.width / PIN.height;
      this.pinned.updateProjectionMatrix();
    }
    this.redraw();
  }

  /** From where the pinned view is seen. */
  get pinnedEye(): THREE.Vector3 | null {
    return this.pinned?.position ?? null;
  }

  /** The pinned view, small, in the lower left corner over the main one. */
  drawPinned(renderer: THREE.WebGLRenderer, scene: THREE.Scene, width: number, height: number): void {
    if (!this.pinned) return;
    // Three counts from the lower left corner.
    const box = [PIN.left, PIN.bottom, PIN.width, PIN.height] as const;
    renderer.setViewport(...box);
    renderer.setScissor(...box);
    renderer.setScissorTest(true);
    renderer.render(scene, this.pinned);
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, width, height);
  }

  /** Walk round what is looked at until told to stop; those who want less motion take a step of 30° instead. */
  walk(on: boolean): void {
    const turn = ++this.walking;
    if (!on) return;
    const step = (angle: number) => {
      const away = this.camera.position.clone().sub(this.controls.target);
      away.applyAxisAngle(new THREE.Vector3(0, 1, 0), angle);
      this.camera.position.copy(this.controls.target).add(away);
      this.controls.update();
      this.redraw();
    };
    if (lessMotion()) return step(STEP_ROUND);
    let last = performance.now();
    const go = (now: number) => {
      if (turn !== this.walking) return;
      step(((now - last) / WALK_ROUND_MS) * 2 * Math.PI);
      last = now;
      requestAnimationFrame(go);
    };
    requestAnimationFrame(go);
  }

  look(look: Look, box: THREE.Box3): void {
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
    this.gliding += 1;
    this.camera.position.set(...eye);
    this.controls.target.set(...target);
    this.controls.update();
    this.redraw();
  }

  /** Move there, quickly and visibly; at once for those who want less motion. */
  private glide(eye: THREE.Vector3, target: THREE.Vector3): void {
    if (lessMotion()) return this.standAt(eye.toArray(), target.toArray());
    const turn = ++this.gliding;
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
      this.redraw();
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

  dispose(): void {
    this.walking += 1;
    this.gliding += 1;
    this.controls.dispose();
  }
}
