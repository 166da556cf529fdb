import { describe, expect, it } from "vitest";

import type { Seat } from "../seats/frames";
import { facing, freshName, mirrored, repeated, reversed, withClock } from "./seatEdits";

const seat: Seat = {
  name: "corner 1",
  point: [0.2, 0.1, 0.05],
  facing: [1, 0, 0],
  clock: [0, 1, 0],
  step_deg: 90,
  label: "",
  many: false,
};
const near = (a: readonly number[], b: number[]) => a.forEach((v, i) => expect(v).toBeCloseTo(b[i]!, 9));

describe("seats on the bench", () => {
  it("faces the other way at the same place", () => {
    expect(reversed(seat)).toEqual({ ...seat, facing: [-1, 0, 0] });
    expect(reversed(reversed(seat))).toEqual(seat);
  });

  it("is mirrored through the middle of the prop", () => {
    const other = mirrored(seat, [0.05, 0.3, 0]);
    near(other.point, [-0.1, 0.1, 0.05]);
    near(other.facing, [-1, 0, 0]);
    near(mirrored(other, [0.05, 0.3, 0]).point, [...seat.point]);
  });

  it("is repeated round the upright axis", () => {
    const [second, third] = repeated({ ...seat, point: [0.2, 0.1, 0] }, [0, 0, 0], 3);
    near(second!.point, [-0.1, 0.1, -0.2 * Math.sin((2 * Math.PI) / 3)]);
    near(third!.point, [-0.1, 0.1, 0.2 * Math.sin((2 * Math.PI) / 3)]);
    near(third!.clock, [0, 1, 0]);
  });

  it("has its clock turned, and its facing, and stays square", () => {
    near(withClock(seat, 90).clock, [0, 0, 1]);
    const up = facing(seat, [0, 1, 0]);
    near(up.facing, [0, 1, 0]);
    near(up.clock, [-1, 0, 0]);
  });

  it("gets a name of its own", () => {
    expect(freshName("side", [seat])).toBe("side");
    expect(freshName("corner 1", [seat, { name: "corner 2" }])).toBe("corner 3");
  });
});
