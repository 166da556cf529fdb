import { beforeEach, describe, expect, it } from "vitest";

import type { Pose } from "../api/client";
import type { JobNews } from "../api/live";
import { piece } from "../fit/examples";
import { Fall } from "./fall";
import { useStage } from "./store";
import type { StageView } from "./view";

const flat = {
  ...piece("jar", 0).pose,
  position: [0, 1, 0] as [number, number, number],
  scale: [2, 2, 2] as [number, number, number],
};
const half = Math.SQRT1_2;
const news = (more: Partial<JobNews>): JobNews => ({
  key: "job",
  state: "running",
  words: "settling",
  share: 0,
  problem: null,
  lacking: [],
  outcomes: [],
  ...more,
});

describe("a settling as it is seen", () => {
  let drawn: Map<string, Pose | null>;
  let fall: Fall;
  let guests: string[];
  let absent: string[];
  beforeEach(() => {
    useStage.getState().close();
    drawn = new Map();
    const pieces = {
      overrideAll: (poses: ReadonlyMap<string, Pose | null>) => poses.forEach((p, k) => drawn.set(k, p)),
      visit: (pieces: ReadonlyMap<string, unknown>, _files: unknown, gone: ReadonlySet<string>) => {
        [guests, absent] = [[...pieces.keys()], [...gone]];
        return Promise.resolve();
      },
    };
    fall = new Fall({ pieces } as unknown as StageView);
    fall.news(news({ keys: ["jar"], starts: [{ ...flat, orientation: [0, half, 0, half] }] }));
  });
  const outcome = (y: number) => ({
    seed: 0,
    score: 0,
    spread: 0,
    height: 0,
    seconds: 1,
    named: [],
    born: [],
    files: {},
    gone: [],
    whole: [],
    poses: [{ key: "jar", pose: { ...flat, position: [0, y, 0] as [number, number, number] } }],
  });

  it("a frame turns a piece from how it stood, and keeps its size", () => {
    fall.frame(new Float32Array([0.5, 0.25, 0, 0, half, 0, half]));
    const pose = drawn.get("jar")!;
    expect(pose.position).toEqual([0.5, 0.25, 0]);
    expect(pose.scale).toEqual([2, 2, 2]);
    // A quarter turn upon a quarter turn.
    expect(pose.orientation[1]).toBeCloseTo(1);
    expect(pose.orientation[3]).toBeCloseTo(0);
  });

  it("news of progress keep what was said at the beginning", () => {
    fall.news(news({ share: 0.4 }));
    expect(useStage.getState().job?.keys).toEqual(["jar"]);
  });

  it("what fails before the answer to its beginning is told all the same", () => {
    useStage.getState().set({ job: null });
    const cloth = { key: "cloth", name: "cloth", reason: "it is flat" };
    fall.news(news({ state: "failed", problem: "cloth cannot fall", lacking: [cloth] }));
    expect(useStage.getState().lacking).toEqual([cloth]);
    expect(useStage.getState().ended).toBe("job");
  });

  it("the end is looked at, and set aside again", () => {
    fall.news(news({ state: "done", outcomes: [outcome(0.1), outcome(0.2)] }));
    expect(useStage.getState().trial).toBe(0);
    fall.look(1);
    expect(drawn.get("jar")?.position).toEqual([0, 0.2, 0]);
    fall.look(null);
    expect(drawn.get("jar")).toBeNull();
  });

  it("a stop puts everything back and says so; late frames are passed over", () => {
    fall.frame(new Float32Array([0, 0.5, 0, 0, 0, 0, 1]));
    fall.news(news({ state: "stopped" }));
    expect(drawn.get("jar")).toBeNull();
    expect(useStage.getState().job).toBeNull();
    expect(useStage.getState().note).toContain("as it was");
    fall.frame(new Float32Array([0, 0.4, 0, 0, 0, 0, 1]));
    expect(drawn.get("jar")).toBeNull();
  });

  it("shows shards in the place of what broke, as long as they are only looked at", () => {
    const shard = { ...piece("shard", 0), name: "shard 1 of jar", prop: "s1" };
    fall.cast({ job: "job", joined: [shard], files: { s1: "/s1.glb" }, gone: ["jar"] });
    expect([guests, absent]).toEqual([["shard"], ["jar"]]);
    fall.frame(new Float32Array([9, 9, 9, 0, 0, 0, 1, 0.25, 0.5, 0, 0, 0, 0, 1]));
    expect(drawn.get("shard")?.position).toEqual([0.25, 0.5, 0]);
    fall.news(news({ state: "stopped" }));
    expect([guests, absent]).toEqual([[], []]);
    expect(drawn.get("shard")).toBeNull();
  });
});
