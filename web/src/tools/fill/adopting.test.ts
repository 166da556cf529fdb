import { beforeEach, describe, expect, it, vi } from "vitest";

import type { Move, Outcome } from "../../api/client";
import { change, job, yard } from "../../fit/examples";
import { useStage } from "../../state";
import { adoptFilling, fill } from "./filling";

const made: Move[] = [];
let discarded = 0;
let answer: unknown = null;
vi.mock("../../stage/making", async (original) => ({
  ...(await original<object>()),
  make: (move: Move) => {
    made.push(move);
    return Promise.resolve(answer);
  },
}));
vi.mock("../../gravity/beginning", () => ({
  discard: () => {
    discarded += 1;
    return Promise.resolve();
  },
  begun: () => Promise.resolve(true),
  beginSettle: () => Promise.resolve(true),
}));

const recipe = { bay: "bay", props: [{ prop: "brick" }], seed: 4 };
const outcome = { seed: 4, recipe } as unknown as Outcome;

describe("a filling that is chosen of several", () => {
  beforeEach(() => {
    made.length = discarded = 0;
    const { close, open, hearOf } = useStage.getState();
    close();
    open(yard());
    hearOf(job({ kind: "fill", state: "done", outcomes: [outcome] }));
  });

  it("is made before the others are forgotten; one that is refused loses none of them", async () => {
    answer = null;
    await adoptFilling(outcome);
    expect([made.length, discarded]).toEqual([1, 0]);
    expect(useStage.getState().job?.state).toBe("done");
    answer = change(1, {});
    await adoptFilling(outcome);
    expect([made.length, discarded]).toEqual([2, 1]);
    expect(made[1]).toMatchObject({ kind: "fill", recipe: { seed: 4 } });
  });

  it("is made once, however often it is asked for meanwhile", async () => {
    answer = change(1, {});
    useStage.getState().setFilling(outcome.recipe as never);
    expect(await Promise.all([fill(false), fill(false), fill(true)])).toEqual([true, true, true]);
    expect(made).toHaveLength(1);
    await fill(false);
    expect(made).toHaveLength(2);
  });
});
