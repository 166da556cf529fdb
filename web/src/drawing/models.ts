/** Props as the stage draws them: loaded once, shared by every copy. */
import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { acceleratedRaycast, computeBoundsTree, disposeBoundsTree } from "three-mesh-bvh";

THREE.BufferGeometry.prototype.computeBoundsTree = computeBoundsTree;
THREE.BufferGeometry.prototype.disposeBoundsTree = disposeBoundsTree;
THREE.Mesh.prototype.raycast = acceleratedRaycast;

export interface ModelPart {
  geometry: THREE.BufferGeometry;
  material: THREE.MeshStandardMaterial;
}

export interface Model {
  parts: ModelPart[];
  box: THREE.Box3;
  triangles: number;
}

/** Models that are kept when a stage is left, those asked for last: most of them are on the next one, too. */
const MOST_KEPT = 300;
const loader = new GLTFLoader();
const loading = new Map<string, Promise<Model>>();

/** The model behind a prop's file address. Rejects with a readable error. */
export function loadModel(file: string): Promise<Model> {
  let found = loading.get(file);
  if (!found) {
    found = fetchModel(file);
    found.catch(() => loading.delete(file));
  }
  // The one asked for last is the last.
  loading.delete(file);
  loading.set(file, found);
  return found;
}

/** A stage is left: forget the models that were not asked for lately. */
export function forgetOldModels(): void {
  for (const file of [...loading.keys()].slice(0, -MOST_KEPT)) forgetModel(file);
}

/** A model that is not asked for again. */
export function forgetModel(file: string): void {
  const found = loading.get(file);
  loading.delete(file);
  void found?.then(
    (model) =>
      model.parts.forEach(({ geometry, material }) => {
        geometry.dispose();
        material.dispose();
      }),
    // What never came is not to be let go of.
    () => undefined,
  );
}

async function fetchModel(file: string): Promise<Model> {
  const response = await fetch(file);
  if (!response.ok) throw new Error(`the model of a prop could not be loaded (${response.status})`);
  const gltf = await loader.parseAsync(await response.arrayBuffer(), "");
  gltf.scene.updateMatrixWorld(true);
  const parts: ModelPart[] = [];
  const box = new THREE.Box3();
  let triangles = 0;
  gltf.scene.traverse((node) => {
    if (!(node instanceof THREE.Mesh)) return;
    const mesh = node as THREE.Mesh<THREE.BufferGeometry, THREE.Material | THREE.Material[]>;
    const geometry = mesh.geometry.clone().applyMatrix4(mesh.matrixWorld);
    if (!geometry.getAttribute("normal")) geometry.computeVertexNormals();
    geometry.computeBoundsTree();
    geometry.computeBoundingBox();
    box.union(geometry.boundingBox!);
    const given = Array.isArray(mesh.material) ? mesh.material[0] : mesh.material;
    const material =
      given instanceof THREE.MeshStandardMaterial
        ? given.clone()
        : new THREE.MeshStandardMaterial({ color: "#b9a98c" });
    material.shadowSide = THREE.DoubleSide;
    triangles += trianglesOf(geometry);
    parts.push({ geometry, material });
  });
  return { parts, box, triangles };
}

export function trianglesOf(geometry: THREE.BufferGeometry): number {
  return (geometry.index?.count ?? geometry.getAttribute("position").count) / 3;
}
