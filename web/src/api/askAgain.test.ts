import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";

import { askAgain } from "./askAgain";

describe("asking again", () => {
  it("does not take a first answer from before the change for the truth", async () => {
    const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
    const answers: ((props: string[]) => void)[] = [];
    const observer = new QueryObserver(queries, {
      queryKey: ["props"],
      queryFn: () => new Promise<string[]>((done) => answers.push(done)),
    });
    const quiet = observer.subscribe(() => undefined);
    // The list is asked for; before its answer is here, a prop arrives.
    const again = askAgain(queries, ["props"]);
    answers[0]!(["jar"]);
    await new Promise((done) => setTimeout(done, 0));
    answers[1]?.(["jar", "cloth"]);
    await again;
    expect(observer.getCurrentResult().data).toEqual(["jar", "cloth"]);
    quiet();
    queries.clear();
  });
});
