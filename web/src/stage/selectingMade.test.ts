import { beforeEach, describe, expect, it } from "vitest";

import { useStage } from "../state";
import { selectingMade } from "./selectingMade";

const now = () => useStage.getState();

describe("what a move brought", () => {
  beforeEach(() => {
    now().select([]);
    now().setVerb("set down");
  });

  it("is selected, also where several were on their way at once", () => {
    const [first, second] = [selectingMade(), selectingMade()];
    first(["jar"]);
    expect(now().selected).toEqual(["jar"]);
    second(["mug"]);
    expect(now().selected).toEqual(["mug"]);
  });

  it("is not selected once another verb is in hand", () => {
    const late = selectingMade();
    now().setVerb("join");
    late(["shelf"]);
    expect(now().selected).toEqual([]);
  });

  it("takes nothing away from what was selected since", () => {
    const late = selectingMade();
    now().select(["lantern"]);
    late(["shelf"]);
    expect(now().selected).toEqual(["lantern"]);
  });
});
