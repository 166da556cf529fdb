/** Planes and lines in the world, given by a point and a unit normal or direction. */
import * as THREE from "three";

/** Where a ray meets the plane through `point` that is square to unit `normal`; null when it does not. */
export function metOnPlane(
  ray: THREE.Ray,
  point: THREE.Vector3,
  normal: THREE.Vector3,
): THREE.Vector3 | null {
  return ray.intersectPlane(new THREE.Plane(normal, -normal.dot(point)), new THREE.Vector3());
}

/** Metres along the line through `point` to where a ray comes nearest to it; null when the two run the same way. */
export function nearestOnLine(ray: THREE.Ray, point: THREE.Vector3, direction: THREE.Vector3): number | null {
  const cosine = ray.direction.dot(direction);
  const square = 1 - cosine * cosine;
  if (square < 1e-6) return null;
  const from = ray.origin.clone().sub(point);
  return (from.dot(direction) - cosine * from.dot(ray.direction)) / square;
}
