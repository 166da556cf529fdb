/** Small pictures of props, drawn one at a time when the browser has nothing better to do, and kept. */
import * as THREE from "three";

import { lookAt } from "../stage/looks";
import { loadModel } from "../stage/models";

const SIZE = 112;
const pictures = new Map<string, Promise<string>>();
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

export function thumbnail(file: string): Promise<string> {
  let found = pictures.get(file);
  if (!found) {
    found = queue.then(idle).then(() => take(file));
    queue = found.catch(() => undefined);
    pictures.set(file, found);
  }
  return found;
}
