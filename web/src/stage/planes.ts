/** Planes in the world, given by a point and a unit normal. */
import * as THREE from "three";

/** Where a ray meets the plane through `point` that is square to unit `normal`; null when it does not. */
export function metOnPlane(
  ray: THREE.Ray,
  point: THREE.Vector3,
  normal: THREE.Vector3,
): THREE.Vector3 | null {
  return ray.intersectPlane(new THREE.Plane(normal, -normal.dot(point)), new THREE.Vector3());
}
