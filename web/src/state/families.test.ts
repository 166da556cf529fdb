import { describe, expect, it } from "vitest";

import { fit, piece } from "../fit/examples";
import { ofSameProp, ofState, onSameBearer, withGroup, withWhatRestsOn } from "./families";

const pieces = new Map(
  [
    piece("floor", 0, "bearer"),
    piece("table", 0, "prop", { prop: "table" }),
    piece("bowl", 0, "prop", { prop: "bowl", group: "lunch" }),
    piece("cup", 0.2, "prop", { prop: "cup", group: "lunch" }),
    piece("spare cup", 2, "prop", { prop: "cup" }),
  ].map((p) => [p.key, p]),
);
const fits = new Map(
  [
    fit("table"),
    fit("bowl", { rests_on: ["table"] }),
    fit("cup", { rests_on: ["bowl"], state: "floating", faults: ["floating"], gap: 0.01 }),
    fit("spare cup"),
  ].map((f) => [f.key, f]),
);

describe("whole families of pieces", () => {
  it("a press picks the group, until it is opened", () => {
    expect(withGroup("bowl", pieces, null)).toEqual(["bowl", "cup"]);
    expect(withGroup("bowl", pieces, "lunch")).toEqual(["bowl"]);
    expect(withGroup("table", pieces, null)).toEqual(["table"]);
    expect(withGroup("gone", pieces, null)).toEqual(["gone"]);
  });

  it("all copies, and all on the same bearer", () => {
    expect(ofSameProp(["cup"], pieces)).toEqual(["cup", "spare cup"]);
    expect(onSameBearer(["spare cup"], pieces, fits)).toEqual(["table", "spare cup"]);
  });

  it("what rests on it, up to the top", () => {
    expect(withWhatRestsOn(["table"], fits)).toEqual(["table", "bowl", "cup"]);
    expect(withWhatRestsOn(["spare cup"], fits)).toEqual(["spare cup"]);
  });

  it("all of one state", () => {
    expect(ofState("floating", fits)).toEqual(["cup"]);
    expect(ofState("tippy", fits)).toEqual([]);
  });
});
