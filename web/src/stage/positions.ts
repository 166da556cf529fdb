/** What is drawn of points alone: dots, or lines by their ends. */
import * as THREE from "three";

/** Draw an object at other points, x, y, z one after the other; at none it is not drawn. */
export function drawAt(object: THREE.Points | THREE.LineSegments, at: Float32Array): void {
  object.visible = at.length > 0;
  if (!at.length && !object.geometry.hasAttribute("position")) return;
  object.geometry.dispose();
  object.geometry = new THREE.BufferGeometry();
  object.geometry.setAttribute("position", new THREE.BufferAttribute(at, 3));
}
