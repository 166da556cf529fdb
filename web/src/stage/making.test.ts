import { beforeEach, describe, expect, it, vi } from "vitest";

import { change, piece, yard } from "../fit/examples";
import { useStage } from "../state";
import { reload } from "./making";

const answers = new Map<string, (data: unknown) => void>();
vi.mock("../api/client", async (original) => ({
  ...(await original<object>()),
  client: {
    GET: (_path: string, { params }: { params: { path: { key: string } } }) =>
      new Promise((resolve) =>
        answers.set(params.path.key, (data) => resolve({ data, response: { ok: true } })),
      ),
  },
}));

describe("a set that is fetched again", () => {
  const now = () => useStage.getState();
  beforeEach(() => now().close());

  it("does not become the page of the set that was opened meanwhile", async () => {
    now().open(yard({ key: "a" }));
    const coming = reload("a");
    now().close();
    now().open(yard({ key: "b", pieces: [piece("jug", 0)] }));
    answers.get("a")!(yard({ key: "a", revision: 5 }));
    await coming;
    expect([now().key, [...now().pieces.keys()]]).toEqual(["b", ["jug"]]);
  });

  it("does not take back a change that came while it was on its way", async () => {
    now().open(yard({ key: "a", revision: 4 }));
    const coming = reload("a");
    now().apply(change(5, { can_undo: "x" }));
    answers.get("a")!(yard({ key: "a", revision: 4 }));
    await coming;
    expect([now().revision, now().canUndo]).toEqual([5, "x"]);
  });
});
