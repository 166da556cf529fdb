/** Where the stage is looked at from. */
import * as THREE from "three";

export const LOOKS = ["plan", "front", "right", "back", "left", "corner", "under"] as const;
export type Look = (typeof LOOKS)[number];

const WAYS: Record<Look, [number, number, number]> = {
  plan: [0, 1, 0.0001],
  front: [0, 0.06, 1],
  right: [1, 0.06, 0],
  back: [0, 0.06, -1],
  left: [-1, 0.06, 0],
  corner: [0.72, 0.52, 0.9],
  under: [0.15, -0.9, 0.35],
};

/** Eye and target that show `box` whole from a side. */
export function lookAt(
  box: THREE.Box3,
  look: Look,
  camera: THREE.PerspectiveCamera,
): [THREE.Vector3, THREE.Vector3] {
  const target = box.getCenter(new THREE.Vector3());
  const radius = Math.max(0.05, box.getSize(new THREE.Vector3()).length() / 2);
  const half = THREE.MathUtils.degToRad(camera.fov / 2);
  const narrow = Math.min(half, Math.atan(Math.tan(half) * camera.aspect));
  const way = new THREE.Vector3(...WAYS[look]).normalize();
  return [target.clone().addScaledVector(way, radius / Math.sin(narrow)), target];
}

/** Camera at the height of the contact, square to the plane in which the gap is widest. */
export function throughGap(
  at: THREE.Vector3,
  azimuth: number,
  half: number,
  from: THREE.Vector3,
): [THREE.Vector3, THREE.Vector3] {
  const way = new THREE.Vector3(-Math.sin(azimuth), 0, Math.cos(azimuth));
  if (way.dot(from.clone().sub(at)) < 0) way.negate();
  return [
    at
      .clone()
      .addScaledVector(way, Math.max(0.12, half * 4))
      .add(new THREE.Vector3(0, half * 0.06, 0)),
    at,
  ];
}
