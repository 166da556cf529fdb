/** A cardboard person for scale: 1.70 m tall, drawn and never part of the set. */
import * as THREE from "three";

export const STANDEE_M = 1.7;
const CARD = new THREE.MeshStandardMaterial({ color: "#c9b691", roughness: 1, side: THREE.DoubleSide });
const EDGE = new THREE.LineBasicMaterial({ color: "#22303a" });

/** Half an outline, from the feet up; mirrored. Shares of the height. */
const HALF: [number, number][] = [
  [0.03, 0],
  [0.1, 0.0],
  [0.1, 0.015],
  [0.062, 0.035],
  [0.07, 0.25],
  [0.095, 0.46],
  [0.1, 0.55],
  [0.13, 0.44],
  [0.165, 0.45],
  [0.155, 0.62],
  [0.13, 0.78],
  [0.1, 0.82],
  [0.035, 0.845],
  [0.034, 0.868],
  [0.058, 0.9],
  [0.062, 0.945],
  [0.042, 0.985],
  [0, 1],
];

export function standeeOutline(): [number, number][] {
  const left = [...HALF].reverse().map(([x, y]): [number, number] => [-x, y]);
  return [[0, 0.46], ...HALF, ...left.slice(1)];
}

export function standeeFigure(): THREE.Group {
  const points = standeeOutline().map(([x, y]) => new THREE.Vector2(x * STANDEE_M, y * STANDEE_M));
  const body = new THREE.Mesh(
    new THREE.ExtrudeGeometry(new THREE.Shape(points), { depth: 0.006, bevelEnabled: false }),
    CARD,
  );
  body.position.z = -0.003;
  body.castShadow = true;
  const rim = new THREE.LineLoop(
    new THREE.BufferGeometry().setFromPoints(points.map((p) => new THREE.Vector3(p.x, p.y, 0.004))),
    EDGE,
  );
  const foot = new THREE.Mesh(new THREE.CylinderGeometry(0.2, 0.2, 0.008, 40), CARD);
  foot.position.y = 0.004;
  const group = new THREE.Group();
  group.add(body, rim, foot);
  return group;
}
