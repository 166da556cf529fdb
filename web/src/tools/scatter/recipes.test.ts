import { beforeEach, describe, expect, it } from "vitest";

import { change, yard } from "../../fit/examples";
import { numbersOf } from "../../slip/figures";
import { useStage } from "../../state";
import { PLAIN_RECIPE, recipeOf } from "../../state/scatter";
import {
  CLAUSES,
  addFar,
  addNear,
  differs,
  isLaid,
  moreOf,
  recipeOfText,
  spokenOf,
  toggleProp,
  whyNot,
} from "./recipes";

const now = () => useStage.getState();
const record = (some: object = {}) => ({
  key: "r",
  name: "stones",
  recipe: "scatter" as const,
  seed: 3,
  parameters: { props: [{ prop: "stone" }], on: ["floor"], count: 20 },
  exceptions: { taken_out: [4], nudged: {} },
  ...some,
});
const withRecord = (revision: number, after: object | null) =>
  change(revision, { deltas: [{ kind: "recipe", key: "r", after: after as never }] });

describe("the recipe in hand", () => {
  beforeEach(() => {
    now().close();
    now().open(yard({ revision: 4 }));
    now().takeUp(null);
  });

  it("takes props in and out, and a further one follows what is said of the first", () => {
    toggleProp("stone");
    now().setProps({ lean: 0.5, size: [0.8, 1.2] }, null);
    toggleProp("thyme");
    expect(now().recipe.props.map((rule) => [rule.prop, rule.lean, rule.name])).toEqual([
      ["stone", 0.5, "stone"],
      ["thyme", 0.5, "thyme"],
    ]);
    now().setProps({ share: 3 }, 1);
    expect(now().recipe.props.map((rule) => rule.share)).toEqual([1, 3]);
    toggleProp("stone");
    expect(now().recipe.props.map((rule) => rule.prop)).toEqual(["thyme"]);
  });

  it("says of the prop that came last how it lies beside the others", () => {
    toggleProp("stone");
    toggleProp("thyme");
    CLAUSES.find((clause) => clause.id === "gather")!.put(now());
    toggleProp("fern");
    expect(now().recipe.props.map((rule) => rule.gather_m ?? null)).toEqual([null, 0.5, null]);
  });

  it("offers what is not said, and more of what may be said again", () => {
    toggleProp("stone");
    const words = () => moreOf(now().recipe).map((more) => more.words);
    expect(words()).toContain("not where it is chalked…");
    expect(words()).not.toContain("gathered round the others…");
    expect(words()).not.toContain("near to one more thing…");
    now().setRules({ near: [{ of: "jar", within_m: 1 }], chalk: [{ points: [[0, 0, 0]], radius_m: 1 }] });
    expect(words()).toContain("near to one more thing…");
    expect(words()).not.toContain("near to something…");
    expect(words()).not.toContain("not where it is chalked…");
    toggleProp("thyme");
    expect(words()).toContain("gathered round the others…");
    expect(new Set(words()).size).toBe(words().length);
  });

  it("says of one prop what it does not say of the others", () => {
    toggleProp("stone");
    toggleProp("thyme");
    const size = CLAUSES.find((clause) => clause.id === "size")!;
    now().set({ saidOf: "thyme" });
    size.put(now());
    expect(now().recipe.props.map((rule) => rule.size ?? [1, 1])).toEqual([
      [1, 1],
      [0.9, 1.15],
    ]);
    expect([null, "thyme", "stone"].map((of) => size.here(now().recipe, of))).toEqual([true, true, false]);
    expect(differs(now().recipe, "size")).toBe(true);
    expect(moreOf(now().recipe, "stone")).toContain(size);
    expect(moreOf(now().recipe, "thyme")).not.toContain(size);
    now().set({ saidOf: null });
    size.drop(now());
    expect(now().recipe.props.every((rule) => (rule.size ?? [1])[0] === 1)).toBe(true);
    // What it spoke of is gone: it speaks of all again.
    now().set({ saidOf: "fern" });
    expect(spokenOf(now())).toBeNull();
    now().takeUp(null);
  });

  it("is near to the edge, and off it, each said once", () => {
    toggleProp("stone");
    const edges = () => moreOf(now().recipe).filter((more) => more.words.includes("edge of the ground"));
    expect(edges().length).toBe(2);
    for (const more of edges()) (more as { put: (s: unknown) => void }).put(now());
    expect(edges()).toEqual([]);
    addNear(now(), { line: [[0, 0, 0]] });
    addFar(now(), { of: "jar" });
    const { near, far } = now().recipe.rules!;
    expect(near!.map((rule) => [rule.edge, rule.line, rule.within_m])).toEqual([
      [true, null, 0.3],
      [false, [[0, 0, 0]], 1],
    ]);
    expect(far!.map((rule) => [rule.edge, rule.of, rule.beyond_m])).toEqual([
      [true, null, 0.1],
      [false, "jar", 0.5],
    ]);
    now().takeUp(null);
  });

  it("says why it cannot be laid yet", () => {
    expect(whyNot(PLAIN_RECIPE)).toContain("trolley");
    expect(whyNot({ ...PLAIN_RECIPE, props: [{ prop: "stone" }] })).toContain("ground");
    expect(whyNot({ ...PLAIN_RECIPE, props: [{ prop: "stone" }], on: ["floor"] })).toBeNull();
  });

  it.each(CLAUSES.map((clause) => [clause.id, clause] as const))(
    "the clause %s is said, or asked for, and left out again",
    (_, clause) => {
      toggleProp("stone");
      toggleProp("thyme");
      expect(clause.here(now().recipe, null)).toBe(false);
      clause.put(now());
      expect(clause.here(now().recipe, null) || now().asking === clause.id).toBe(true);
      clause.drop(now());
      expect(clause.here(now().recipe, null)).toBe(false);
    },
  );

  it("is taken up from the set with its seed and exceptions, and lies so until a word changes", () => {
    now().apply(withRecord(5, record()));
    now().takeUp("r");
    expect(now().recipe).toMatchObject({ seed: 3, count: 20, exceptions: { taken_out: [4] } });
    expect(isLaid()).toBe(true);
    now().setRecipe({ count: 21 });
    expect(isLaid()).toBe(false);
  });

  it("follows what becomes of it on the set, and keeps words that are not laid yet", () => {
    now().apply(withRecord(5, record()));
    now().takeUp("r");
    let before = now().recipes;
    now().apply(withRecord(6, record({ exceptions: { taken_out: [4, 9], nudged: {} } })));
    now().followRecipes(before);
    expect(isLaid()).toBe(true);
    now().setRecipe({ count: 50 });
    before = now().recipes;
    now().apply(withRecord(7, record({ exceptions: { taken_out: [], nudged: {} } })));
    now().followRecipes(before);
    expect(now().recipe).toMatchObject({ count: 50, exceptions: { taken_out: [] } });
    before = now().recipes;
    now().apply(withRecord(8, null));
    now().followRecipes(before);
    expect([now().openRecipe, now().recipe.count]).toEqual([null, 50]);
  });

  it("comes back from text, without what this set does not have", () => {
    const recipe = {
      ...recipeOf(record()),
      on: ["floor", "elsewhere"],
      keep_out: ["gone"],
      rules: {
        near: [
          { of: "jar", within_m: 1 },
          { of: "gone", within_m: 2 },
        ],
      },
    };
    const known = {
      pieces: new Map([
        ["floor", 1],
        ["jar", 1],
      ]),
      regions: new Map(),
    };
    const found = recipeOfText(JSON.stringify(recipe), known);
    expect(found.on).toEqual(["floor"]);
    expect(found.keep_out).toEqual([]);
    expect(found.rules?.near).toEqual([{ of: "jar", within_m: 1 }]);
    for (const text of ["no recipe", "[]", "3", "null", '{"props": 1}'])
      expect(() => recipeOfText(text, known)).toThrow("copy one as text first");
  });
});

it.each([
  ["3, 17", [3, 17]],
  ["17 and 3; 3", [3, 17]],
  ["", []],
  ["3, x", null],
  ["-1", null],
  ["2.5", null],
])("numbers out of “%s”", (text, numbers) => {
  expect(numbersOf(text)).toEqual(numbers);
});
