/** Pictures of the set, with nothing on them that is not the set. */
import * as THREE from "three";

import { lookAt } from "../drawing/looks";
import type { Pieces } from "./pieces";
import { softStill } from "./still";

/** Share of the distance from which all corners of a box are surely seen: along a direction that somebody looks in, less will do. */
const KEPT_NEARER = 0.7;

export interface Studio {
  renderer: THREE.WebGLRenderer;
  scene: THREE.Scene;
  camera: THREE.PerspectiveCamera;
  sun: THREE.DirectionalLight;
  pieces: Pieces;
  /** All that is drawn on the set and is not the set. */
  marks: () => THREE.Object3D[];
  /** Choose how closely each piece is drawn for a frame by this camera. */
  see: (camera: THREE.PerspectiveCamera) => void;
  /** Draw the stage again as it was; `resized`: in its own size, too. */
  again: (resized: boolean) => void;
}

export class Pictures {
  constructor(private readonly studio: Studio) {}

  /** What is seen now, without marks, as a small JPEG. */
  snapshot(width: number, height: number): string {
    return this.drawnBy(this.studio.camera, width, height);
  }

  /** The same, from where these pieces fill the picture: from a corner, or in the direction that is `kept`. */
  pictureOf(keys: Iterable<string>, width: number, height: number, kept = false): string {
    const box = this.studio.pieces.worldBox(keys);
    if (box.isEmpty()) return this.snapshot(width, height);
    const camera = this.studio.camera.clone();
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

  private drawnBy(camera: THREE.PerspectiveCamera, width: number, height: number): string {
    const marks = this.studio.marks();
    const shown = marks.map((group) => group.visible);
    marks.forEach((group) => (group.visible = false));
    this.studio.see(camera);
    this.studio.renderer.render(this.studio.scene, camera);
    marks.forEach((group, i) => (group.visible = shown[i]!));
    const out = document.createElement("canvas");
    [out.width, out.height] = [width, height];
    // The middle of what is drawn, in the shape of the picture.
    const { width: w, height: h } = this.studio.renderer.domElement;
    const own = camera === this.studio.camera;
    const scale = own ? Math.min(w / width, h / height) : 0;
    const [sw, sh] = own ? [width * scale, height * scale] : [w, h];
    out
      .getContext("2d")
      ?.drawImage(this.studio.renderer.domElement, (w - sw) / 2, (h - sh) / 2, sw, sh, 0, 0, width, height);
    this.studio.again(false);
    return out.toDataURL("image/jpeg", 0.85);
  }

  /** A lit still with soft shadows, nothing but the set on it. Resolves to null when `onProgress` stopped it. */
  async proof(
    width: number,
    height: number,
    onProgress: (share: number) => boolean,
  ): Promise<HTMLCanvasElement | null> {
    const shadows = this.studio.renderer.shadowMap.enabled;
    const ratio = this.studio.renderer.getPixelRatio();
    this.studio.pieces.dressForStill(true, true);
    this.studio.see(this.studio.camera);
    const still = await softStill(
      this.studio.renderer,
      this.studio.scene,
      this.studio.camera,
      this.studio.sun,
      this.studio.marks(),
      width,
      height,
      onProgress,
    );
    this.studio.renderer.setPixelRatio(ratio);
    this.studio.renderer.shadowMap.enabled = this.studio.sun.castShadow = shadows;
    this.studio.pieces.dressForStill(false, shadows);
    this.studio.again(true);
    return still;
  }
}
