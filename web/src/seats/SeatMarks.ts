/** Seats as they are drawn: a paper disc with a hand at 12 o'clock, and a stem in the direction that it faces. */
import * as THREE from "three";

import { emptied } from "../drawing/marks";
import type { WorldFrame } from "./frames";

const RADIUS_PX = 7;
const USUAL_STEP = 15;
const OVER_ALL = 11;
const materials = (disc: string, ink: string, opacity: number) => ({
  disc: new THREE.MeshBasicMaterial({
    color: disc,
    transparent: true,
    opacity,
    depthTest: false,
    side: THREE.DoubleSide,
  }),
  ink: new THREE.LineBasicMaterial({ color: ink, transparent: true, opacity, depthTest: false }),
});
const QUIET = materials("#fffdf8", "#22303a", 0.7);
const LIT = materials("#a9482a", "#8a3a21", 1);
const MINE = materials("#22303a", "#22303a", 0.9);

export type SeatLook = "quiet" | "lit" | "mine";
const LOOKS = { quiet: QUIET, lit: LIT, mine: MINE };

/** Lengths of stem and hand in radii of the disc. */
export const [STEM, HAND] = [2.6, 1.5];

export interface DrawnSeat {
  /** Degrees between the ticks of the scale about a lit seat; 0 or none for every 15. */
  step?: number;
  frame: WorldFrame;
  look: SeatLook;
}

const lines = (points: [number, number, number][], material: THREE.Material) => {
  const line = new THREE.LineSegments(
    new THREE.BufferGeometry().setFromPoints(points.map((p) => new THREE.Vector3(...p))),
    material,
  );
  line.renderOrder = OVER_ALL + 1;
  return line;
};

/** In a frame of its own: z is where it faces, y is 12 o'clock, the radius is 1. */
function figure(look: SeatLook, step: number): THREE.Group {
  const { disc, ink } = LOOKS[look];
  const group = new THREE.Group();
  const face = new THREE.Mesh(new THREE.CircleGeometry(1, 28), disc);
  face.renderOrder = OVER_ALL;
  const rim: [number, number, number][] = [];
  for (let k = 0; k < 28; k++)
    for (const n of [k, k + 1]) {
      const a = (2 * Math.PI * n) / 28;
      rim.push([Math.cos(a), Math.sin(a), 0]);
    }
  const stem: [number, number, number][] = [
    [0, 0, 0],
    [0, 0, STEM],
    [0, 0, STEM],
    [0.45, 0, 1.9],
    [0, 0, STEM],
    [-0.45, 0, 1.9],
  ];
  const hand: [number, number, number][] = [
    [0, 0, 0],
    [0, HAND, 0],
  ];
  const scale: [number, number, number][] = [];
  for (let angle = 0; angle < 360 - 1e-6; angle += step || USUAL_STEP) {
    const [s, c] = [Math.sin((angle * Math.PI) / 180), Math.cos((angle * Math.PI) / 180)];
    scale.push([1.7 * s, 1.7 * c, 0], [2.1 * s, 2.1 * c, 0]);
  }
  if (look === "lit") group.add(lines(scale, ink));
  // Many may be open: only the two that meet say where they face.
  group.add(face, lines(look === "quiet" ? [...rim, ...hand] : [...rim, ...stem, ...hand], ink));
  return group;
}

export class SeatMarks {
  readonly group = new THREE.Group();

  show(seats: readonly DrawnSeat[]): void {
    emptied(this.group);
    for (const { frame, look, step } of seats) {
      const mark = figure(look, step ?? 0);
      const side = frame.clock.clone().cross(frame.facing);
      mark.quaternion.setFromRotationMatrix(new THREE.Matrix4().makeBasis(side, frame.clock, frame.facing));
      mark.position.copy(frame.point);
      this.group.add(mark);
    }
  }

  /** How long one radius of a mark is in the world, as it was drawn last. */
  radiusOf(number: number): number {
    return this.group.children[number]?.scale.x ?? 0;
  }

  /** The same size on the screen wherever the eye is. */
  turnTo(camera: THREE.PerspectiveCamera, height: number): void {
    const perPixel = (2 * Math.tan((camera.fov * Math.PI) / 360)) / height;
    const forward = camera.getWorldDirection(new THREE.Vector3());
    for (const mark of this.group.children) {
      const depth = mark.getWorldPosition(new THREE.Vector3()).sub(camera.position).dot(forward);
      mark.scale.setScalar(Math.max(1e-6, depth * perPixel * RADIUS_PX));
    }
  }
}
