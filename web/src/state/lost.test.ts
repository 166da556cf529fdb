import { describe, expect, it } from "vitest";

import type { Delta } from "../api/client";
import { fit } from "../fit/examples";
import { lostBy } from "./lost";

describe("what lost what it stood on", () => {
  const floating = { state: "floating", faults: ["floating"] } as const;
  const before = new Map(
    [fit("jar"), fit("mug"), fit("lid", { ...floating, faults: ["floating"] })].map((f) => [f.key, f]),
  );
  const hanging = (key: string) => fit(key, { state: "floating", faults: ["floating"] });
  const moved = { kind: "piece", key: "mug", after: null } as unknown as Delta;

  it("is told of those that stood before and were not moved themselves", () => {
    const fits = ["jar", "mug", "lid", "new"].map(hanging);
    expect(lostBy({ deltas: [moved], fits }, before)).toEqual(["jar"]);
  });

  it("counts by all faults, not only by the first one", () => {
    const both = fit("jar", { state: "clashing", faults: ["clashing", "unborne"] });
    expect(lostBy({ deltas: [], fits: [both, fit("mug")] }, before)).toEqual(["jar"]);
  });
});
