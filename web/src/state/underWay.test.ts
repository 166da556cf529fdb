import { beforeEach, describe, expect, it } from "vitest";

import { piece } from "../fit/examples";
import { useStage } from "./index";

const now = () => useStage.getState();

describe("moves under way", () => {
  beforeEach(() => now().set({ underWay: [] }));

  it("are told one by one, in the order in which they were heard of", () => {
    now().hearUnderWay("a", 1, 9, []);
    now().hearUnderWay("b", 0, 0, []);
    now().hearUnderWay("a", 5, 9, []);
    expect(now().underWay.map(({ ask, done }) => [ask, done])).toEqual([
      ["a", 5],
      ["b", 0],
    ]);
    now().endUnderWay("a");
    expect(now().underWay.map(({ ask }) => ask)).toEqual(["b"]);
  });

  it("stay asked to stop while they tell on", () => {
    now().hearUnderWay("a", 1, 9, []);
    now().stopping("a");
    now().hearUnderWay("a", 2, 9, []);
    expect(now().underWay).toEqual([{ ask: "a", done: 2, total: 9, stopping: true, pieces: [] }]);
  });

  it("gather the pieces that they have placed so far", () => {
    now().hearUnderWay("a", 1, 9, [piece("jar", 0)]);
    now().hearUnderWay("a", 1, 9, []);
    now().hearUnderWay("a", 3, 9, [piece("mug", 1), piece("jug", 2)]);
    expect(now().underWay[0]!.pieces.map(({ key }) => key)).toEqual(["jar", "mug", "jug"]);
  });
});
