import { afterEach, beforeEach, describe, expect, it } from "vitest";

import type { Job, Outcome, Pose } from "../api/client";
import type { Cast } from "../api/live";
import { job, piece } from "../fit/examples";
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
  let drawn: Map<string, Pose | null>;
  let fall: Fall;
  let guests: string[];
  let absent: string[];
  const now = () => useStage.getState();
  const hear = (more: Partial<Job> = {}) => now().hearOf(job(more));
  beforeEach(() => {
    now().close();
    drawn = new Map();
    const pieces = {
      overrideAll: (poses: ReadonlyMap<string, Pose | null>) => poses.forEach((p, k) => drawn.set(k, p)),
      visit: (pieces: ReadonlyMap<string, unknown>, _files: unknown, gone: ReadonlySet<string>) => {
        [guests, absent] = [[...pieces.keys()], [...gone]];
        return Promise.resolve();
      },
    };
    fall = new Fall({ pieces } as unknown as StageView);
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
    const pose = drawn.get("jar")!;
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
    expect(drawn.get("jar")?.position).toEqual([0, 0.5, 0]);
  });

  it("the end is looked at, and set aside again", () => {
    hear({ state: "done", outcomes: [outcome(0.1), outcome(0.2)] });
    expect(now().trial).toBe(0);
    now().set({ trial: 1 });
    expect(drawn.get("jar")?.position).toEqual([0, 0.2, 0]);
    now().set({ trial: null });
    expect(drawn.get("jar")).toBeNull();
  });

  it("a stop puts everything back and says so; late frames are passed over", () => {
    fall.frame("job", new Float32Array([0, 0.5, 0, 0, 0, 0, 1]));
    hear({ state: "stopped" });
    expect(drawn.get("jar")).toBeNull();
    expect(now().job).toBeNull();
    expect(now().note).toContain("as it was");
    now().hearOf(job({ key: "next" }));
    fall.frame("job", new Float32Array([0, 0.4, 0, 0, 0, 0, 1]));
    expect(drawn.get("jar"), "a frame of the job before moves nothing in the next one").toBeNull();
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
    expect([guests, absent]).toEqual([["shard"], ["jar"]]);
    fall.frame("job", new Float32Array([9, 9, 9, 0, 0, 0, 1, 0.25, 0.5, 0, 0, 0, 0, 1]));
    expect(drawn.get("shard")?.position).toEqual([0.25, 0.5, 0]);
    hear({ state: "stopped" });
    expect([guests, absent]).toEqual([[], []]);
    expect(drawn.get("shard")).toBeNull();
  });
});
