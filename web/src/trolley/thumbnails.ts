/** Small pictures of props, drawn one at a time when the browser has nothing better to do, and kept. */
import * as THREE from "three";

import { lookAt } from "../drawing/looks";
import { loadModel } from "../drawing/models";

const SIZE = 112;
const FRONT_SIZE = 264;
const pictures = new Map<string, Promise<string>>();
const fronts = new Map<string, Promise<string>>();
let queue: Promise<unknown> = Promise.resolve();
let studio: { renderer: THREE.WebGLRenderer; scene: THREE.Scene; camera: THREE.PerspectiveCamera } | null =
  null;

function openStudio() {
  if (studio) return studio;
  const renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true });
  renderer.setSize(SIZE, SIZE, false);
  renderer.toneMapping = THREE.NeutralToneMapping;
  const scene = new THREE.Scene();
  scene.add(new THREE.HemisphereLight("#fff6e6", "#a89a88", 1.6));
  const sun = new THREE.DirectionalLight("#fff1da", 2.4);
  sun.position.set(0.6, 1.2, 0.9);
  scene.add(sun);
  studio = { renderer, scene, camera: new THREE.PerspectiveCamera(28, 1, 0.01, 50) };
  return studio;
}

async function takeFront(file: string): Promise<string> {
  const model = await loadModel(file);
  const { renderer, scene } = openStudio();
  const group = new THREE.Group();
  model.parts.forEach((part) => group.add(new THREE.Mesh(part.geometry, part.material)));
  scene.add(group);
  const size = model.box.getSize(new THREE.Vector3());
  const middle = model.box.getCenter(new THREE.Vector3());
  // The picture is filled by the prop's box exactly, so that it can be drawn to scale.
  const camera = new THREE.OrthographicCamera(
    -size.x / 2,
    size.x / 2,
    size.y / 2,
    -size.y / 2,
    0.001,
    2 * size.z + 2,
  );
  camera.position.set(middle.x, middle.y, model.box.max.z + size.z / 2 + 0.5);
  camera.lookAt(middle.x, middle.y, middle.z);
  const scale = FRONT_SIZE / Math.max(size.x, size.y);
  renderer.setSize(Math.max(8, size.x * scale), Math.max(8, size.y * scale), false);
  renderer.render(scene, camera);
  scene.remove(group);
  const picture = renderer.domElement.toDataURL("image/png");
  renderer.setSize(SIZE, SIZE, false);
  return picture;
}

async function take(file: string): Promise<string> {
  const model = await loadModel(file);
  const { renderer, scene, camera } = openStudio();
  const group = new THREE.Group();
  model.parts.forEach((part) => group.add(new THREE.Mesh(part.geometry, part.material)));
  scene.add(group);
  const [eye, target] = lookAt(model.box, "corner", camera);
  camera.position.copy(eye).sub(target).multiplyScalar(0.86).add(target);
  camera.lookAt(target);
  renderer.render(scene, camera);
  scene.remove(group);
  return renderer.domElement.toDataURL("image/png");
}

const idle = () =>
  new Promise<void>((resolve) =>
    "requestIdleCallback" in window
      ? requestIdleCallback(() => resolve(), { timeout: 500 })
      : setTimeout(resolve, 30),
  );

function kept(
  shelf: Map<string, Promise<string>>,
  file: string,
  run: (file: string) => Promise<string>,
): Promise<string> {
  let found = shelf.get(file);
  if (!found) {
    found = queue.then(idle).then(() => run(file));
    queue = found.catch(() => undefined);
    shelf.set(file, found);
  }
  return found;
}

/** A small three-quarter picture. */
export function thumbnail(file: string): Promise<string> {
  return kept(pictures, file, take);
}

/** The prop from its front without perspective, filling the picture. */
export function front(file: string): Promise<string> {
  return kept(fronts, file, takeFront);
}
