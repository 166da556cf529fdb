/** A pose as the drawing library has it. */
import * as THREE from "three";

import type { Pose } from "../api/client";

export function matrixOf(pose: Pose, into = new THREE.Matrix4()): THREE.Matrix4 {
  return into.compose(
    new THREE.Vector3(...pose.position),
    new THREE.Quaternion(...pose.orientation),
    new THREE.Vector3(...pose.scale),
  );
}
