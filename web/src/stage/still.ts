/** Soft shadows by many suns: the scene drawn once for each, and the drawings averaged. */
import * as THREE from "three";

const SUNS = 24;
/** How far the suns stand apart, as a share of how far the sun is away. */
const SPREAD = 0.07;
const GOLDEN_ANGLE = 2.399963;

/** Draws at `width` by `height`, the objects of `hidden` left out. The renderer keeps the size of the still; the caller
 * sets it back. `onProgress` hears the share done and may return false, which resolves to null. */
export async function softStill(
  renderer: THREE.WebGLRenderer,
  scene: THREE.Scene,
  from: THREE.PerspectiveCamera,
  sun: THREE.DirectionalLight,
  hidden: THREE.Object3D[],
  width: number,
  height: number,
  onProgress: (share: number) => boolean,
): Promise<HTMLCanvasElement | null> {
  const out = document.createElement("canvas");
  out.width = width;
  out.height = height;
  const ink = out.getContext("2d")!;
  const camera = from.clone();
  camera.aspect = width / height;
  camera.updateProjectionMatrix();
  const shown = hidden.map((object) => object.visible);
  const place = sun.position.clone();
  const away = place.distanceTo(sun.target.position);
  hidden.forEach((object) => (object.visible = false));
  sun.castShadow = true;
  let whole = true;
  for (let k = 0; k < SUNS && whole; k += 1) {
    // Spread like the seeds of a sunflower, so that the penumbra is even.
    const r = SPREAD * away * Math.sqrt((k + 0.5) / SUNS);
    const a = k * GOLDEN_ANGLE;
    sun.position.copy(place).add(new THREE.Vector3(r * Math.cos(a), 0.3 * r * Math.sin(a), r * Math.sin(a)));
    // Set anew for each drawing: the stage may have been drawn, or sized, in between.
    renderer.setPixelRatio(1);
    renderer.setSize(width, height, false);
    renderer.shadowMap.enabled = true;
    renderer.shadowMap.needsUpdate = true;
    renderer.render(scene, camera);
    ink.globalAlpha = 1 / (k + 1);
    ink.drawImage(renderer.domElement, 0, 0, width, height);
    whole = onProgress((k + 1) / SUNS);
    await new Promise((resolve) => requestAnimationFrame(resolve));
  }
  sun.position.copy(place);
  hidden.forEach((object, i) => (object.visible = shown[i]!));
  return whole ? out : null;
}
