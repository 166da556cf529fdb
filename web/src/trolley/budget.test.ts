import { expect, it } from "vitest";

import type { Prop } from "../api/client";
import { piece } from "../fit/examples";
import { budgetOf, inMegabytes } from "./budget";

const prop = (key: string, triangles: number, size: number) => ({ key, triangles, size }) as Prop;

it("a prop counts once however often it stands, and what stands nowhere is told", () => {
  const pieces = new Map(
    ["a1", "a2", "b1"].map((key) => [key, piece(key, 0, "prop", { prop: key[0]! })] as const),
  );
  const props = new Map([prop("a", 100, 2e6), prop("b", 50, 5e5), prop("c", 9, 9)].map((p) => [p.key, p]));
  expect(budgetOf(pieces, props, ["a", "c"])).toEqual({
    props: 2,
    triangles: 150,
    bytes: 2.5e6,
    unused: ["c"],
  });
  expect(inMegabytes(2.5e6)).toBe("2.5 MB");
  expect(inMegabytes(2.5e7)).toBe("25 MB");
});
