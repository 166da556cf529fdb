import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { piece } from "../fit/examples";
import { type Seat, type Tie, bodyOf, freeSeats, inWorld, joiningRotation, nearestOnScreen } from "./frames";

const seat = (name: string, more: Partial<Seat> = {}): Seat => ({
  name,
  point: [0, 0, 0],
  facing: [0, 1, 0],
  clock: [0, 0, 1],
  step_deg: 0,
  label: "",
  many: false,
  ...more,
});
const join = (a: string, mine: string, b: string, theirs: string): Tie => ({
  key: `${a}${b}`,
  tie: "join",
  piece: a,
  to: b,
  side: null,
  distance_m: 0,
  at_least: false,
  angle_deg: 0,
  seat: mine,
  to_seat: theirs,
  locked: false,
  frame: null,
  to_frame: null,
  lean: 0,
  smooth: false,
});
// The store's other figures do not matter here.
const props = (seats: Seat[]) => new Map([["p", { key: "p", seats } as never]]);
const at = (key: string, x: number, y: number) => {
  const made = piece(key, x);
  return { ...made, pose: { ...made.pose, position: [x, y, 0] as [number, number, number] } };
};

describe("seats in the world", () => {
  it("stay square to their face when the piece is sized unevenly and turned", () => {
    const q = new THREE.Quaternion().setFromEuler(new THREE.Euler(0.3, 0.8, -0.2));
    const pose = { position: [1, 2, 3], orientation: q.toArray(), scale: [2, 0.5, -1] } as never;
    const slanted = seat("s", {
      point: [1, 1, 0],
      facing: [Math.SQRT1_2, Math.SQRT1_2, 0],
      clock: [0, 0, 1],
    });
    const found = inWorld(slanted, pose);
    // Two ways along the face stay along it.
    const matrix = new THREE.Matrix4().compose(new THREE.Vector3(1, 2, 3), q, new THREE.Vector3(2, 0.5, -1));
    for (const way of [new THREE.Vector3(1, -1, 0), new THREE.Vector3(0, 0, 1)]) {
      const along = way.applyMatrix4(matrix).sub(new THREE.Vector3().setFromMatrixPosition(matrix));
      expect(found.facing.dot(along)).toBeCloseTo(0, 9);
    }
    expect(found.facing.dot(found.clock)).toBeCloseTo(0, 9);
    expect(found.point.distanceTo(new THREE.Vector3(1, 1, 0).applyMatrix4(matrix))).toBeCloseTo(0, 9);
  });

  it("are free unless a join holds them or another lies on them", () => {
    const seats = [seat("head", { point: [0, 1, 0] }), seat("foot", { facing: [0, -1, 0] })];
    const pieces = new Map([at("a", 0, 0), at("b", 0, 1), at("c", 5, 0)].map((p) => [p.key, p]));
    const open = (ties: Tie[]) =>
      freeSeats(pieces, props(seats), ties)
        .map((s) => `${s.piece} ${s.seat.name}`)
        .sort();
    expect(open([])).toEqual(["a foot", "b head", "c foot", "c head"]);
    expect(open([join("c", "foot", "b", "head")])).toEqual(["a foot", "c head"]);
  });

  it("know all that they are joined to", () => {
    const ties = [join("a", "x", "b", "y"), join("c", "x", "d", "y"), join("b", "z", "c", "z")];
    expect([...bodyOf("d", ties)].sort()).toEqual(["a", "b", "c", "d"]);
    expect([...bodyOf("e", ties)]).toEqual(["e"]);
  });

  it("meet face to face, clock on clock", () => {
    const mine = inWorld(seat("m", { facing: [0, -1, 0] }), at("a", 0, 0).pose);
    const theirs = inWorld(seat("t", { clock: [1, 0, 0] }), at("b", 1, 0).pose);
    for (const degrees of [0, 30, -120]) {
      const turn = joiningRotation(mine, theirs, degrees, false);
      const facing = mine.facing.clone().applyQuaternion(turn);
      expect(facing.dot(theirs.facing)).toBeCloseTo(-1, 9);
      const clock = mine.clock.clone().applyQuaternion(turn);
      const wanted = theirs.clock.clone().applyAxisAngle(theirs.facing, (degrees * Math.PI) / 180);
      expect(clock.distanceTo(wanted)).toBeCloseTo(0, 9);
    }
  });

  it("are caught on the screen within reach, those that look at the eye first", () => {
    const pieces = new Map([at("a", 0, 0)].map((p) => [p.key, p]));
    const both = freeSeats(
      pieces,
      props([seat("up"), seat("down", { facing: [0, -1, 0], point: [0.001, 0, 0] })]),
      [],
    );
    const flat = ([x, y]: readonly number[]) => ({ x: 1000 * x!, y: -1000 * y! });
    const eye = new THREE.Vector3(0, 5, 0);
    expect(nearestOnScreen(both, flat, { x: 2, y: 0 }, 24, eye)?.seat.name).toBe("up");
    expect(nearestOnScreen(both, flat, { x: 60, y: 0 }, 24, eye)).toBeNull();
  });
});
