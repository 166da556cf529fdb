/** Seats in the world: where they stand, which are free, and which lies under the pointer. */
import * as THREE from "three";

import type { Piece, Pose, Prop, Schemas, Triple } from "../api/client";
import { matrixOf } from "../drawing/matrixOf";

export type Seat = Schemas["SeatSchema"];
export type Tie = Schemas["TieSchema"];

export interface WorldFrame {
  point: THREE.Vector3;
  /** Unit, away from the piece. */
  facing: THREE.Vector3;
  /** 12 o'clock, unit and square to the facing. */
  clock: THREE.Vector3;
}

export interface PlacedSeat extends WorldFrame {
  piece: string;
  seat: Seat;
}

const SAME_POINT = 1e-6;
const OPPOSITE = -1 + 1e-6;

/** A frame of what stands at `pose`; uneven sizes tilt a face's direction as they tilt the face. */
export function inWorld(frame: Pick<Seat, "point" | "facing" | "clock">, pose: Pose): WorldFrame {
  const matrix = matrixOf(pose);
  const normal = new THREE.Matrix3().getNormalMatrix(matrix);
  const facing = new THREE.Vector3(...frame.facing).applyMatrix3(normal).normalize();
  const along = new THREE.Vector3(...frame.clock).transformDirection(matrix);
  return {
    point: new THREE.Vector3(...frame.point).applyMatrix4(matrix),
    facing,
    clock: along.addScaledVector(facing, -along.dot(facing)).normalize(),
  };
}

export function goesWith(a: Seat, b: Seat): boolean {
  return !a.label || !b.label || a.label === b.label;
}

/** The names of the seats that joins hold, by piece. */
export function takenSeats(ties: Iterable<Tie>): Map<string, Set<string>> {
  const taken = new Map<string, Set<string>>();
  for (const tie of ties) {
    if (tie.tie !== "join") continue;
    for (const [key, name] of [
      [tie.piece, tie.seat],
      [tie.to, tie.to_seat],
    ] as const)
      taken.set(key, (taken.get(key) ?? new Set()).add(name));
  }
  return taken;
}

/** The seats of all pieces that another may still be joined to, without those that another seat lies on face to face. */
export function freeSeats(
  pieces: ReadonlyMap<string, Piece>,
  props: ReadonlyMap<string, Prop>,
  ties: Iterable<Tie>,
): PlacedSeat[] {
  const taken = takenSeats(ties);
  const all: PlacedSeat[] = [];
  for (const piece of pieces.values())
    for (const seat of props.get(piece.prop)?.seats ?? [])
      if (seat.many || !taken.get(piece.key)?.has(seat.name))
        all.push({ piece: piece.key, seat, ...inWorld(seat, piece.pose) });
  all.sort((a, b) => a.point.x - b.point.x);
  const met = new Set<PlacedSeat>();
  all.forEach((a, i) => {
    for (const b of all.slice(i + 1)) {
      if (b.point.x - a.point.x > SAME_POINT) break;
      if (a.point.distanceTo(b.point) > SAME_POINT || a.facing.dot(b.facing) > OPPOSITE) continue;
      met.add(a);
      met.add(b);
    }
  });
  return all.filter((placed) => placed.seat.many || !met.has(placed));
}

/** The rotation that brings a mover's frame onto a target's: facing each other, 12 o'clock on 12 o'clock, then turned. */
export function joiningRotation(
  mine: WorldFrame,
  theirs: WorldFrame,
  degrees: number,
  flip: boolean,
): THREE.Quaternion {
  const axes = (frame: WorldFrame, facing: number) => {
    const f = frame.facing.clone().multiplyScalar(facing);
    return new THREE.Matrix4().makeBasis(frame.clock, f.clone().cross(frame.clock), f);
  };
  const to = axes(theirs, -1).multiply(axes(mine, flip ? -1 : 1).transpose());
  const turn = new THREE.Quaternion().setFromAxisAngle(theirs.facing, (degrees * Math.PI) / 180);
  return turn.multiply(new THREE.Quaternion().setFromRotationMatrix(to));
}

/** The keys of all that a piece is joined to, itself among them. */
export function bodyOf(key: string, ties: Iterable<Tie>): Set<string> {
  const joins = [...ties].filter((tie) => tie.tie === "join");
  const body = new Set([key]);
  // Each round adds one piece at least, or is the last.
  for (let round = 0; round <= joins.length; round++) {
    const before = body.size;
    for (const { piece, to } of joins)
      if (body.has(piece) || body.has(to)) {
        body.add(piece);
        body.add(to);
      }
    if (body.size === before) break;
  }
  return body;
}

/** The one of `seats` that is nearest to a place on the screen, within `reach` pixels and facing the eye rather than away. */
export function nearestOnScreen(
  seats: PlacedSeat[],
  onScreen: (point: Triple) => { x: number; y: number },
  at: { x: number; y: number },
  reach: number,
  eye: THREE.Vector3,
): PlacedSeat | null {
  let best: PlacedSeat | null = null;
  let least = reach;
  for (const placed of seats) {
    const on = onScreen(placed.point.toArray());
    const away = Math.hypot(on.x - at.x, on.y - at.y);
    // Of two in one place, the one that looks at the eye is meant.
    const turned = placed.facing.dot(eye.clone().sub(placed.point).normalize()) < -0.2 ? 0.3 * reach : 0;
    if (away + turned < least) [best, least] = [placed, away + turned];
  }
  return best;
}
