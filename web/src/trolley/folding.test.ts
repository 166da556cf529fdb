import { describe, expect, it } from "vitest";

import type { Prop } from "../api/client";
import { folded } from "./folding";

const prop = (key: string, came_of: string | null = null) => ({ key, came_of }) as Prop;
const told = (props: Prop[], open: string[] = []) =>
  folded(props, new Set(open)).map(({ prop: p, under, inner }) => `${inner ? "  " : ""}${p.key} ${under}`);

describe("shards and poses in the trolley", () => {
  const all = [
    prop("shard 1", "jug"),
    prop("crate"),
    prop("jug"),
    prop("shard 2", "jug"),
    prop("chip", "shard 2"),
  ];

  it("are folded under what they came of, and follow it once it is unfolded", () => {
    expect(told(all)).toEqual(["crate 0", "jug 2"]);
    expect(told(all, ["jug"])).toEqual(["crate 0", "jug 2", "  shard 1 0", "  shard 2 1"]);
    expect(told(all, ["jug", "shard 2"]).slice(-1)).toEqual(["  chip 0"]);
  });

  it("stand by themselves where what they came of is not there", () => {
    expect(told([prop("shard 1", "jug"), prop("shard 2", "jug")])).toEqual(["shard 1 0", "shard 2 0"]);
  });
});
