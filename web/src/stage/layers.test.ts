import { describe, expect, it, vi } from "vitest";

import type { Piece, Pose } from "../api/client";
import { piece } from "../fit/examples";
import { EMPTY_SCENE, type Layer, Layers, RANKS, type Rank, type Scene, type Shown, compose } from "./layers";

const KEYS = ["a", "b", "c", "d"];
const standing = new Map(["a", "b", "c"].map((key, n) => [key, piece(key, n)]));
const noShapes: ReadonlyMap<string, string> = new Map();

function stage(draw: (scene: Scene) => Promise<void> = () => Promise.resolve()) {
  const held: string[][] = [];
  const problems: string[] = [];
  const layers = new Layers(
    draw,
    (keys) => held.push(keys),
    (problem) => problems.push(problem.message),
  );
  return { layers, held, problems };
}

/** Whole numbers by chance, the same each time (Lehmer, 1951). */
function dice(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (state * 48271) % 0x7fffffff;
    return state % below;
  };
}

function some<V>(roll: (below: number) => number, value: (key: string) => V): Map<string, V> {
  return new Map(KEYS.filter(() => roll(2)).map((key) => [key, value(key)]));
}

function shownBy(roll: (below: number) => number, n: number): Shown {
  const pose = (): Pose => piece("x", roll(9)).pose;
  const fields: Shown = {
    poses: some(roll, pose),
    guests: some(roll, (key) => piece(`${key} guest`, n)),
    absent: new Set(KEYS.filter(() => roll(4) === 0)),
    shapes: some(roll, (key) => `${key} ${n}`),
    holds: new Set(KEYS.filter(() => roll(3) === 0)),
    seeThrough: roll(2) === 1,
    dots: [n, n, n],
  };
  return Object.fromEntries(Object.entries(fields).filter(() => roll(2)));
}

/** What is to be seen, said in the plainest way. */
function plainly(open: { rank: Rank; shown: Shown }[]) {
  const upwards = RANKS.flatMap((rank) => open.filter((layer) => layer.rank === rank)).map((l) => l.shown);
  const poses: Record<string, Pose> = {};
  const shapes: Record<string, string> = {};
  const guests: Record<string, Piece> = {};
  const [absent, holds] = [new Set<string>(), new Set<string>()];
  let [dots, seeThrough]: [readonly number[], boolean] = [[], false];
  for (const shown of upwards) {
    shown.poses?.forEach((pose, key) => (poses[key] = pose));
    shown.shapes?.forEach((shape, key) => (shapes[key] = shape));
    shown.guests?.forEach((guest, key) => (guests[key] = guest));
    shown.absent?.forEach((key) => absent.add(key));
    shown.holds?.forEach((key) => holds.add(key));
    dots = shown.dots ?? dots;
    seeThrough = shown.seeThrough ?? seeThrough;
  }
  const pieces = Object.fromEntries(
    Object.entries({ ...guests, ...Object.fromEntries(standing) }).filter(([key]) => !absent.has(key)),
  );
  return { pieces, poses, shapes, holds: [...holds].sort(), dots, seeThrough };
}

function seen(scene: Scene) {
  return {
    pieces: Object.fromEntries(scene.pieces),
    poses: Object.fromEntries(scene.poses),
    shapes: Object.fromEntries(scene.shapes),
    holds: [...scene.holds].sort(),
    dots: scene.dots,
    seeThrough: scene.seeThrough,
  };
}

describe("a scene of layers", () => {
  it.each(Array.from({ length: 60 }, (_, n) => n + 1))("is what those that are open say, run %i", (seed) => {
    const roll = dice(seed);
    const { layers, held } = stage();
    void layers.stand({ pieces: standing, shapes: noShapes });
    const open: { layer: Layer; rank: Rank; shown: Shown }[] = [];
    const closed: Layer[] = [];
    for (let n = 0; n < 40; n++) {
      const what = roll(5);
      const one = open[roll(Math.max(1, open.length))];
      if (what === 0 || !one) {
        const rank = RANKS[roll(RANKS.length)]!;
        const shown = roll(2) ? shownBy(roll, n) : {};
        open.push({ layer: layers.open(rank, shown), rank, shown });
      } else if (what === 1) {
        one.layer.close();
        closed.push(one.layer);
        open.splice(open.indexOf(one), 1);
      } else if (what === 2) {
        const more = shownBy(roll, n);
        void one.layer.show(more);
        one.shown = { ...one.shown, ...more };
      } else if (what === 3) {
        one.shown = shownBy(roll, n);
        void one.layer.only(one.shown);
      } else {
        // What comes when its layer is closed is not shown.
        void closed[roll(Math.max(1, closed.length))]?.show(shownBy(roll, n));
      }
      const wanted = plainly(open);
      expect(seen(layers.scene())).toEqual(wanted);
      expect(held.at(-1) ?? []).toEqual(wanted.holds);
    }
    open.forEach(({ layer }) => layer.close());
    expect(seen(layers.scene())).toEqual(seen(compose({ pieces: standing, shapes: noShapes }, [])));
    expect(held.at(-1) ?? []).toEqual([]);
  });

  it("is told apart from the one before only where it differs", () => {
    const { layers } = stage();
    void layers.stand({ pieces: standing });
    const fall = layers.open("job", { guests: new Map([["d", piece("d", 3)]]), absent: new Set(["a"]) });
    const before = layers.scene();
    void fall.show({ poses: new Map([["d", piece("d", 4).pose]]) });
    const after = layers.scene();
    expect(after.pieces).toBe(before.pieces);
    expect(after.shapes).toBe(before.shapes);
    expect(after.dots).toBe(EMPTY_SCENE.dots);
  });
});

describe("a layer", () => {
  it("takes nothing of another one's away: a hold that ends late leaves the next drag's", () => {
    const { layers, held } = stage();
    const first = layers.open("drag", { holds: new Set(["a"]) });
    const second = layers.open("drag", { holds: new Set(["a", "b"]) });
    first.close();
    expect(held.at(-1)).toEqual(["a", "b"]);
    second.close();
    expect(held.at(-1)).toEqual([]);
  });

  it("is told only what was asked last, and nothing once it is cleared or closed", async () => {
    const { layers } = stage();
    const layer = layers.open("tool");
    let answer: (words: string) => void = () => undefined;
    const first = layer.latest(new Promise<string>((done) => (answer = done)));
    const second = layer.latest(Promise.resolve("second"));
    answer("first");
    expect(await first).toBeUndefined();
    expect(await second).toBe("second");
    const third = layer.latest(Promise.resolve("third"));
    layer.clear();
    expect(await third).toBeUndefined();
    const fourth = layer.latest(Promise.resolve("fourth"));
    layer.close();
    expect(await fourth).toBeUndefined();
    await layer.show({ dots: [1, 2, 3] });
    expect(layers.scene().dots).toEqual([]);
  });

  it("draws once for each thing that is said, and says what cannot be drawn", async () => {
    const draw = vi.fn((scene: Scene) =>
      scene.pieces.has("bad") ? Promise.reject(new Error("no model")) : Promise.resolve(),
    );
    const { layers, problems } = stage(draw);
    const layer = layers.open("job");
    layer.clear();
    expect(draw).not.toHaveBeenCalled();
    await layer.show({ guests: new Map([["bad", piece("bad", 0)]]) });
    expect(problems).toEqual(["no model"]);
    layer.close();
    layer.close();
    expect(draw).toHaveBeenCalledTimes(2);
    await expect(layers.stand({ pieces: new Map([["bad", piece("bad", 0)]]) })).rejects.toThrow("no model");
  });
});
