import { describe, expect, it } from "vitest";

import { change, piece, yard } from "../fit/examples";
import type { Delta } from "./client";
import { type Mirror, mirrorOf, reduced } from "./mirror";
import { seeded } from "../chance";

const data = yard({ name: "kiln yard", trolley: ["jar"] });

const tie = {
  key: "t1",
  tie: "gap" as const,
  piece: "jar",
  to: "floor",
  side: null,
  distance_m: 0.3,
  at_least: false,
  angle_deg: 0,
  seat: "",
  to_seat: "",
  locked: false,
  frame: null,
  to_frame: null,
  lean: 0,
  smooth: false,
};

/** The mirror without what every change moves on: its revision and the words for undo. */
const records = ({
  name,
  tolerance,
  trolley,
  pieces,
  regions,
  ties,
  cutOuts,
  recipes,
  propChanges,
}: Mirror) => ({
  ...{ name, tolerance, trolley, regions, ties, cutOuts, recipes, propChanges },
  pieces: new Map([...pieces].sort()),
});

/** What deltas leave of any record, told so that it can be taken back: before and after. */
interface Step {
  there: Delta;
  back: Delta;
}

/** A step that can be made from a mirror, chosen by chance. */
function someStep(mirror: Mirror, chance: () => number): Step {
  const pick = <T>(from: readonly T[]): T => from[Math.floor(chance() * from.length)]!;
  const kind = pick(["piece", "piece", "tie", "set"] as const);
  if (kind === "set") {
    const of = (name: string, tolerance_m: number, trolley: string[]): Delta => ({
      kind,
      key: "set",
      after: { name, tolerance_m, trolley },
    });
    return {
      there: of(`yard ${chance()}`, chance() + 1e-4, chance() < 0.5 ? [] : ["mug", "jar"]),
      back: of(mirror.name, mirror.tolerance, mirror.trolley),
    };
  }
  if (kind === "tie") {
    const old = mirror.ties.get("t1") ?? null;
    const fresh = old && chance() < 0.5 ? null : { ...tie, distance_m: chance() };
    return { there: { kind, key: "t1", after: fresh }, back: { kind, key: "t1", after: old } };
  }
  const key = pick(["jar", "mug", "new"]);
  const old = mirror.pieces.get(key) ?? null;
  const fresh = old && chance() < 0.4 ? null : piece(key, chance());
  return { there: { kind, key, after: fresh }, back: { kind, key, after: old } };
}

describe("the mirror of a set", () => {
  it("comes back to what it was when every change is taken back, whatever the run", () => {
    for (let seed = 1; seed <= 200; seed += 1) {
      const chance = seeded(seed);
      let mirror = mirrorOf(data);
      const begin = records(mirror);
      const taken: Delta[] = [];
      for (let n = 0; n < 12; n += 1) {
        const { there, back } = someStep(mirror, chance);
        mirror = reduced(mirror, change(mirror.revision + 1, { deltas: [there] })) as Mirror;
        taken.push(back);
      }
      for (const back of taken.reverse())
        mirror = reduced(mirror, change(mirror.revision + 1, { deltas: [back] })) as Mirror;
      expect(records(mirror)).toEqual(begin);
    }
  });

  it("takes many deltas at once as it takes them one by one", () => {
    for (let seed = 1; seed <= 100; seed += 1) {
      const chance = seeded(seed);
      let one = mirrorOf(data);
      const deltas: Delta[] = [];
      for (let n = 0; n < 6; n += 1) {
        const { there } = someStep(one, chance);
        deltas.push(there);
        one = reduced(one, change(one.revision + 1, { deltas: [there] })) as Mirror;
      }
      const many = reduced(mirrorOf(data), change(1, { deltas })) as Mirror;
      expect(records(many)).toEqual(records(one));
      expect(new Set(many.fits.keys())).toEqual(new Set(one.fits.keys()));
    }
  });

  it("leaves the one before as it was, and passes over what it knows or what it cannot follow", () => {
    const before = mirrorOf(data);
    const after = reduced(
      before,
      change(1, { deltas: [{ kind: "piece", key: "jar", after: null }] }),
    ) as Mirror;
    expect([before.pieces.has("jar"), after.pieces.has("jar")]).toEqual([true, false]);
    expect([before.fits.has("jar"), after.fits.has("jar")]).toEqual([true, false]);
    expect(after.ties).toBe(before.ties);
    expect(reduced(after, change(1))).toBe("known");
    expect(reduced(after, change(3))).toBe("behind");
  });
});

describe("chance", () => {
  it("is the same for the same seed, spread over 0 to 1, and another for another", () => {
    const draw = (seed: number) => Array.from({ length: 1000 }, seeded(seed));
    expect(draw(7)).toEqual(draw(7));
    expect(draw(7)).not.toEqual(draw(8));
    const mean = draw(7).reduce((a, b) => a + b) / 1000;
    expect(Math.abs(mean - 0.5)).toBeLessThan(0.05);
    expect(Math.min(...draw(7))).toBeGreaterThanOrEqual(0);
    expect(Math.max(...draw(7))).toBeLessThan(1);
  });
});
