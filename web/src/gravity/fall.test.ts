import { afterEach, beforeEach, describe, expect, it } from "vitest";

import type { Job, Outcome, Pose } from "../api/client";
import type { Cast } from "../api/live";
import { job, piece } from "../fit/examples";
import { Layers } from "../stage/layers";
import type { StageView } from "../stage/view";
import { useStage } from "../state";
import { Fall } from "./fall";

const flat = {
  ...piece("jar", 0).pose,
  position: [0, 1, 0] as [number, number, number],
  scale: [2, 2, 2] as [number, number, number],
};
const half = Math.SQRT1_2;
const cast = (more: Partial<Cast> = {}): Cast => ({
  kind: "cast",
  job: "job",
  first: 0,
  keys: [],
  starts: [],
  joined: [],
  files: {},
  gone: [],
  ...more,
});

describe("a settling as it is seen", () => {
  let layers: Layers;
  let fall: Fall;
  const standing = new Map([["jar", piece("jar", 0)]]);
  const drawn = (key: string): Pose | undefined => layers.scene().poses.get(key);
  const there = () => [...layers.scene().pieces.keys()];
  const now = () => useStage.getState();
  const hear = (more: Partial<Job> = {}) => now().hearOf(job(more));
  beforeEach(() => {
    now().close();
    layers = new Layers(
      () => Promise.resolve(),
      () => undefined,
      () => undefined,
    );
    void layers.stand({ pieces: standing });
    fall = new Fall({ layers } as unknown as StageView);
    hear();
    fall.cast(cast({ keys: ["jar"], starts: [{ ...flat, orientation: [0, half, 0, half] }] }));
  });
  afterEach(() => fall.dispose());
  const outcome = (y: number): Outcome => ({
    seed: 0,
    score: 0,
    spread: 0,
    height: 0,
    seconds: 1,
    named: [],
    born: [],
    files: {},
    broke: {},
    gone: [],
    whole: [],
    poses: [{ key: "jar", pose: { ...flat, position: [0, y, 0] as [number, number, number] } }],
  });

  it("a frame turns a piece from how it stood, and keeps its size", () => {
    fall.frame("job", new Float32Array([0.5, 0.25, 0, 0, half, 0, half]));
    const pose = drawn("jar")!;
    expect(pose.position).toEqual([0.5, 0.25, 0]);
    expect(pose.scale).toEqual([2, 2, 2]);
    // A quarter turn upon a quarter turn.
    expect(pose.orientation[1]).toBeCloseTo(1);
    expect(pose.orientation[3]).toBeCloseTo(0);
  });

  it("news of progress leave what falls as it is", () => {
    hear({ share: 0.4 });
    expect([...now().falling]).toEqual(["jar"]);
    fall.frame("job", new Float32Array([0, 0.5, 0, 0, 0, 0, 1]));
    expect(drawn("jar")?.position).toEqual([0, 0.5, 0]);
  });

  it("the end is looked at, and set aside again", () => {
    hear({ state: "done", outcomes: [outcome(0.1), outcome(0.2)] });
    expect(now().trial).toBe(0);
    now().set({ trial: 1 });
    expect(drawn("jar")?.position).toEqual([0, 0.2, 0]);
    now().set({ trial: null });
    expect(drawn("jar")).toBeUndefined();
  });

  it("a stop puts everything back and says so; late frames are passed over", () => {
    fall.frame("job", new Float32Array([0, 0.5, 0, 0, 0, 0, 1]));
    hear({ state: "stopped" });
    expect(drawn("jar")).toBeUndefined();
    expect(now().job).toBeNull();
    expect(now().note).toContain("as it was");
    now().hearOf(job({ key: "next" }));
    fall.frame("job", new Float32Array([0, 0.4, 0, 0, 0, 0, 1]));
    expect(drawn("jar"), "a frame of the job before moves nothing in the next one").toBeUndefined();
  });

  it("news of a job that was stopped do not end the one that began after it", () => {
    now().forget("job");
    now().hearOf(job({ key: "next" }));
    fall.cast(cast({ job: "next", keys: ["mug"], starts: [flat] }));
    hear({ state: "stopped", problem: "stopped by somebody" });
    hear({ share: 0.9 });
    expect([now().job?.key, now().job?.state, now().note]).toEqual(["next", "running", null]);
    fall.cast(cast({ keys: ["jug"], starts: [flat], first: 1 }));
    expect([...now().falling]).toEqual(["mug"]);
  });

  it("a page that opens in the middle gets everybody at once, and what it knows already is not doubled", () => {
    fall.cast(cast({ first: 1, keys: ["mug"], starts: [flat] }));
    fall.cast(cast({ first: 0, keys: ["jar", "mug", "jug"], starts: [flat, flat, flat] }));
    expect([...now().falling]).toEqual(["jar", "mug", "jug"]);
    fall.cast(cast({ first: 7, keys: ["late"], starts: [flat] }));
    expect([...now().falling], "those before it are not known yet").toEqual(["jar", "mug", "jug"]);
  });

  it("shows shards in the place of what broke, as long as they are only looked at", () => {
    const shard = { ...piece("shard", 0), name: "shard 1 of jar", prop: "s1" };
    const files = { s1: "/s1.glb" };
    fall.cast(
      cast({ first: 1, keys: ["shard"], starts: [shard.pose], joined: [shard], files, gone: ["jar"] }),
    );
    expect(there()).toEqual(["shard"]);
    // Another activity shows something meanwhile and ends: what falls is seen all the same.
    const coming = layers.open("job", { guests: new Map([["coming", piece("coming", 1)]]) });
    expect(there().sort()).toEqual(["coming", "shard"]);
    coming.close();
    expect(there()).toEqual(["shard"]);
    fall.frame("job", new Float32Array([9, 9, 9, 0, 0, 0, 1, 0.25, 0.5, 0, 0, 0, 0, 1]));
    expect(drawn("shard")?.position).toEqual([0.25, 0.5, 0]);
    hear({ state: "stopped" });
    expect(there()).toEqual(["jar"]);
    expect(drawn("shard")).toBeUndefined();
  });
});
