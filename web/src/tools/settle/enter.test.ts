import { beforeEach, describe, expect, it, vi } from "vitest";

import { job, yard } from "../../fit/examples";
import { useStage } from "../../state";
import { enter } from "./enter";

let begun = 0;
vi.mock("../../gravity/beginning", () => ({
  beginSettle: () => {
    begun += 1;
    return Promise.resolve(true);
  },
}));

describe("Enter in settle", () => {
  beforeEach(() => {
    begun = 0;
    const { close, open } = useStage.getState();
    close();
    open(yard());
  });

  it("lets fall what is selected, and says why where nothing is", () => {
    enter();
    expect([begun, useStage.getState().note]).toEqual([0, expect.stringContaining("Select the pieces")]);
    useStage.getState().select(["jar"]);
    enter();
    expect(begun).toBe(1);
  });

  it("begins nothing beside what falls, or over what came of it", () => {
    useStage.getState().setSettle({ what: "loose" });
    useStage.getState().hearOf(job());
    enter();
    expect([begun, useStage.getState().note]).toEqual([0, expect.stringContaining("falls already")]);
    useStage.getState().hearOf(job({ state: "done" }));
    enter();
    expect([begun, useStage.getState().note]).toEqual([0, expect.stringContaining("Adopt or discard")]);
  });
});
