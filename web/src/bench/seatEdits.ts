/** What is done to seats on the bench: reversed, mirrored, repeated; each gives seats with names of their own. Metres, prop coordinates. */
import * as THREE from "three";

import type { Triple } from "../api/client";
import type { Seat } from "../seats/frames";

/** A name that none of `seats` has: the same with the next number behind it. */
export function freshName(name: string, seats: Pick<Seat, "name">[]): string {
  const taken = new Set(seats.map((s) => s.name));
  if (!taken.has(name)) return name;
  const stem = name.replace(/ \d+$/, "");
  for (let n = 2; ; n += 1) if (!taken.has(`${stem} ${n}`)) return `${stem} ${n}`;
}

/** It faces the other way, its clock kept. */
export function reversed(seat: Seat): Seat {
  return { ...seat, facing: seat.facing.map((v) => -v || 0) as Triple };
}

function mapped(
  seat: Seat,
  place: (v: THREE.Vector3) => THREE.Vector3,
  way: (v: THREE.Vector3) => THREE.Vector3,
): Seat {
  const moved = (v: Triple, by: (v: THREE.Vector3) => THREE.Vector3) => by(new THREE.Vector3(...v)).toArray();
  return {
    ...seat,
    point: moved(seat.point, place),
    facing: moved(seat.facing, way),
    clock: moved(seat.clock, way),
  };
}

/** The same on the other side of the upright plane through the middle, left for right. */
export function mirrored(seat: Seat, middle: Triple): Seat {
  const flip = (v: THREE.Vector3) => v.setX(-v.x);
  return mapped(seat, (v) => v.setX(2 * middle[0] - v.x), flip);
}

/** The same `count` times round the upright axis through the middle, itself left out. */
export function repeated(seat: Seat, middle: Triple, count: number): Seat[] {
  const centre = new THREE.Vector3(middle[0], 0, middle[2]);
  const up = new THREE.Vector3(0, 1, 0);
  return Array.from({ length: count - 1 }, (_, k) => {
    const angle = (2 * Math.PI * (k + 1)) / count;
    const turn = (v: THREE.Vector3) => v.applyAxisAngle(up, angle);
    return mapped(seat, (v) => turn(v.sub(centre)).add(centre), turn);
  });
}

/** Its clock turned by degrees about its facing. */
export function withClock(seat: Seat, degrees: number): Seat {
  const facing = new THREE.Vector3(...seat.facing).normalize();
  return mapped(
    seat,
    (v) => v,
    (v) => v.applyAxisAngle(facing, (degrees * Math.PI) / 180),
  );
}

/** It faces another way; the clock follows the least turn that leads there. */
export function facing(seat: Seat, way: Triple): Seat {
  const turn = new THREE.Quaternion().setFromUnitVectors(
    new THREE.Vector3(...seat.facing).normalize(),
    new THREE.Vector3(...way).normalize(),
  );
  return mapped(
    seat,
    (v) => v,
    (v) => v.applyQuaternion(turn),
  );
}
