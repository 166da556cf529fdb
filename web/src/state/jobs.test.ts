import { beforeEach, describe, expect, it } from "vitest";

import { job } from "../fit/examples";
import { useStage } from ".";

describe("news of jobs", () => {
  const now = () => useStage.getState();
  beforeEach(() => now().close());

  it("what fails before the answer to its beginning is told all the same, and is not begun by that answer", () => {
    const cloth = { key: "cloth", name: "cloth", reason: "it is flat" };
    now().hearOf(job({ state: "failed", problem: "cloth cannot fall", lacking: [cloth] }));
    expect([now().job, now().lacking, now().note]).toEqual([null, [cloth], null]);
    now().hearOf(job());
    expect(now().job).toBeNull();
  });

  it("what was adopted or discarded is not heard of again", () => {
    now().hearOf(job({ state: "done" }));
    expect(now().trial).toBe(0);
    now().forget("job");
    now().hearOf(job({ state: "done" }));
    expect([now().job, now().trial]).toEqual([null, null]);
  });

  it("one that begins takes the place of one that is done, but late news of that one do not come back", () => {
    now().hearOf(job({ state: "done" }));
    now().hearOf(job({ key: "next" }));
    expect(now().job?.key).toBe("next");
    now().hearOf(job({ state: "done" }));
    expect([now().job?.key, now().trial]).toEqual(["next", null]);
  });

  it("what somebody else adopted or discarded is put away here, too, and so is what waits", () => {
    now().hearOf(job({ state: "done" }));
    now().set({ waiting: [job({ key: "a", state: "done" })] });
    now().hearOf(job({ key: "a", state: "dropped" }));
    expect([now().job?.key, now().waiting]).toEqual(["job", []]);
    now().hearOf(job({ state: "dropped" }));
    expect([now().job, now().trial, now().note]).toEqual([null, null, null]);
  });

  it("what is discarded no longer waits", () => {
    now().set({ waiting: [job({ key: "a", state: "done" }), job({ key: "b", state: "done" })] });
    now().forget("a");
    expect(now().waiting.map((w) => w.key)).toEqual(["b"]);
  });
});
