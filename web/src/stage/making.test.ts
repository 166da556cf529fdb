import { beforeEach, describe, expect, it, vi } from "vitest";

import { change, piece, yard } from "../fit/examples";
import { useStage } from "../state";
import { make, reload } from "./making";

const answers = new Map<string, (data: unknown) => void>();
/** Moves as they were sent: the name each was asked for by, and what comes of it in turn. */
const sent: string[] = [];
const outcomes: (() => Promise<unknown>)[] = [];
vi.mock("../api/client", async (original) => ({
  ...(await original<object>()),
  client: {
    GET: (_path: string, { params }: { params: { path: { key: string } } }) =>
      new Promise((resolve) =>
        answers.set(params.path.key, (data) => resolve({ data, response: { ok: true } })),
      ),
    POST: (_path: string, { headers }: { headers: Record<string, string> }) => {
      sent.push(headers["Idempotency-Key"]!);
      return outcomes.shift()!();
    },
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

describe("a move whose answer is lost", () => {
  const now = () => useStage.getState();
  const lost = () => Promise.reject(new TypeError("failed to fetch"));
  const made = () => Promise.resolve({ data: change(5, {}), response: { ok: true } });
  beforeEach(() => {
    now().close();
    now().open(yard({ key: "a", revision: 4 }));
    sent.length = outcomes.length = 0;
  });

  it("is asked for once more by the same name while the line stands", async () => {
    now().set({ line: "joined" });
    outcomes.push(lost, made);
    expect((await make({ kind: "remove", pieces: ["jug"] }))?.revision).toBe(5);
    expect(sent).toHaveLength(2);
    expect(sent[0]).toBe(sent[1]);
  });

  it("is not asked for again when the line is lost, too, nor a third time", async () => {
    now().set({ line: "joining" });
    outcomes.push(lost, made);
    expect(await make({ kind: "remove", pieces: ["jug"] })).toBeNull();
    expect(sent).toHaveLength(1);
    now().set({ line: "joined" });
    outcomes.splice(0, 1, lost, lost);
    expect(await make({ kind: "remove", pieces: ["jug"] })).toBeNull();
    expect(sent).toHaveLength(3);
  });

  it("has another name each time that it is made", async () => {
    now().set({ line: "joined" });
    outcomes.push(made, made);
    await make({ kind: "remove", pieces: ["jug"] });
    await make({ kind: "remove", pieces: ["jug"] });
    expect(new Set(sent).size).toBe(2);
  });
});
