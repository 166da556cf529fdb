import { inCount, inDegrees, inLargeLength, inLength, inPercent, inShares } from "../../slip/figures";
import { KeptRecipe, KeptRecipes, MoreWord, RangeWords, Said } from "../../slip/recipeWords";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { make } from "../../stage/making";
import { useParts, useStage } from "../../state";
import type { Asking, PropRule, Recipe } from "../../state/scatter";
import { ActionButton, QuietButton } from "../../ui/buttons";
import { CLAUSES, isLaid, lay, moreOf, pasteText, reRoll, whyNot } from "./recipes";

const MOST_LAID = 20_000;
const SIZES = { ...inPercent, step: 0.05, min: 0.05, max: 10 };
const DEGREES = { ...inDegrees, step: 5, min: -180, max: 180 };
/** Metres from which things are thrown at first. */
const THROWN_FROM = 0.3;
const HEIGHTS = { ...inLargeLength, min: -200 };
const ASKED: Record<Exclude<Asking, null>, string> = {
  near: "Press on what it lies near to.",
  far: "Press on what it keeps away from.",
  "keep out": "Press on what nothing may be inside of.",
  "only inside": "Press on what all must be inside of.",
  area: "Press on the point that it lies round.",
  chalk: "Draw on the ground where it may lie; more strokes add to it.",
  "rub out": "Draw on the ground where it may not lie any more.",
  "box to keep out of": "Drag on the ground from corner to corner of a box that nothing may reach into.",
  "line to lie near": "Draw a line on the ground that it lies near to.",
  "line to keep off": "Draw a line on the ground that it keeps off.",
  "box to stay in": "Drag on the ground from corner to corner of a box that all stay in.",
};

export function ScatterSlip() {
  const { recipe, setRecipe, pieces, props, note, asking, boxHeight, set, takeUp, openRecipe } = useParts(
    "boxHeight",
    "recipe",
    "setRecipe",
    "pieces",
    "props",
    "note",
    "asking",
    "set",
    "takeUp",
    "openRecipe",
  );
  const chosen = (
    <KeptRecipes kind="scatter" open={openRecipe} onTake={takeUp}>
      <QuietButton onClick={() => void pasteText()}>paste one</QuietButton>
    </KeptRecipes>
  );
  if (!recipe.props.length)
    return (
      <div>
        <p>
          Choose one prop or several from the trolley below; then press on the ground that they are to lie on.
        </p>
        {chosen}
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const grounds = recipe.on.map((key) => pieces.get(key)?.name ?? "what is gone");
  return (
    <div>
      <p>
        Scatter <Many />
        of{" "}
        {recipe.props.map((rule, k) => (
          <span key={rule.prop ?? k}>
            {k > 0 && (k === recipe.props.length - 1 ? " and " : ", ")}
            <strong className="text-clay-deep">{props.get(rule.prop ?? "")?.name ?? "a prop"}</strong>
            {recipe.props.length > 1 && <Share number={k} />}
          </span>
        ))}{" "}
        over{" "}
        {grounds.length ? (
          <strong>{grounds.join(" and ")}</strong>
        ) : (
          <span className="text-quiet">the ground you press next</span>
        )}
        ,{" "}
        <ChoiceWord
          label="pattern"
          value={recipe.pattern ?? "even"}
          onChange={(pattern) => setRecipe({ pattern })}
          choices={[
            { value: "even", words: "evenly" },
            { value: "random", words: "by pure chance" },
            { value: "clumped", words: "in clumps" },
          ]}
        />
        ,{" "}
        <ChoiceWord
          label="which way"
          value={recipe.throw_m != null ? "thrown" : (recipe.facing ?? "down")}
          onChange={(way) =>
            setRecipe(
              way === "thrown" ? { facing: "down", throw_m: THROWN_FROM } : { facing: way, throw_m: null },
            )
          }
          choices={[
            { value: "down", words: "lying" },
            { value: "thrown", words: "thrown" },
            { value: "up", words: "hanging" },
            { value: "surface", words: "on all its sides" },
          ]}
        />
        {recipe.throw_m != null && (
          <>
            {" "}
            from{" "}
            <NumberWord
              label="thrown from"
              value={recipe.throw_m}
              {...inLength}
              min={0.001}
              max={20}
              onChange={(throw_m) => setRecipe({ throw_m })}
            />{" "}
            above it
          </>
        )}
        , seed{" "}
        <NumberWord
          label="seed"
          value={recipe.seed ?? 1}
          {...inCount}
          min={0}
          max={1e9}
          onChange={(seed) => setRecipe({ seed })}
        />
        {recipe.no_overlap !== "elbow" && (
          <>
            ,{" "}
            <ChoiceWord
              label="overlaps"
              value={recipe.no_overlap ?? "shape"}
              onChange={(no_overlap) => setRecipe({ no_overlap })}
              choices={[
                { value: "shape", words: "none in another" },
                { value: "none", words: "through each other" },
              ]}
            />
          </>
        )}
        <Clauses recipe={recipe} />.{" "}
        <MoreWord
          offered={moreOf(recipe)}
          onChoose={(more) =>
            "asking" in more ? set({ asking: more.asking }) : more.put(useStage.getState())
          }
        />
      </p>
      {asking && (
        <p className="mt-1 border-l-4 border-clay pl-2 text-[14px]" role="status">
          {ASKED[asking]}{" "}
          {asking.startsWith("box") && (
            <>
              It is{" "}
              <NumberWord
                label="height of the box"
                value={boxHeight}
                {...inLargeLength}
                onChange={(height) => set({ boxHeight: height })}
              />{" "}
              high.{" "}
            </>
          )}
          <QuietButton onClick={() => set({ asking: null })}>
            {asking === "chalk" || asking === "rub out" ? "done" : "never mind"}
          </QuietButton>
        </p>
      )}
      <Doing />
      {chosen}
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet" data-testid="scatter-note">
        {note}
      </p>
    </div>
  );
}

function Many() {
  const { recipe, setRecipe } = useParts("recipe", "setRecipe");
  const dense = recipe.density_per_m2 != null;
  return (
    <>
      {dense ? (
        <NumberWord
          label="how many a square metre"
          value={recipe.density_per_m2 ?? 4}
          {...inShares}
          max={10_000}
          onChange={(density_per_m2) => setRecipe({ density_per_m2 })}
        />
      ) : (
        <NumberWord
          label="how many"
          value={recipe.count ?? 40}
          {...inCount}
          min={1}
          max={MOST_LAID}
          onChange={(count) => setRecipe({ count })}
        />
      )}{" "}
      <ChoiceWord
        label="how many are meant"
        value={dense ? "density" : "count"}
        onChange={(v) =>
          setRecipe(v === "count" ? { count: 40, density_per_m2: null } : { count: null, density_per_m2: 4 })
        }
        choices={[
          { value: "count", words: "in all" },
          { value: "density", words: "a square metre" },
        ]}
      />{" "}
    </>
  );
}

function Share({ number }: { number: number }) {
  const { recipe, setProps } = useParts("recipe", "setProps");
  return (
    <>
      {" "}
      (
      <NumberWord
        label={`share of prop ${number + 1}`}
        value={recipe.props[number]?.share ?? 1}
        {...inShares}
        max={1000}
        onChange={(share) => setProps({ share }, number)}
      />
      )
    </>
  );
}

function Clauses({ recipe }: { recipe: Recipe }) {
  const { pieces, props, regions, setRules, setProps, set, chalkWidth } = useParts(
    "pieces",
    "props",
    "regions",
    "setRules",
    "setProps",
    "set",
    "chalkWidth",
  );
  const called = (key: string | null | undefined) =>
    pieces.get(key ?? "")?.name ?? regions.get(key ?? "")?.name ?? "what is gone";
  const rule: Partial<PropRule> = recipe.props[0] ?? {};
  const rules = recipe.rules;
  /** What is said of single props beside the others. */
  const beside = (field: "gather_m" | "clear_m", before: string, after: string) =>
    recipe.props.map((one, k) =>
      one[field] == null ? null : (
        <span key={one.prop ?? k}>
          the <strong>{props.get(one.prop ?? "")?.name}</strong> {before}{" "}
          <NumberWord
            label={before}
            value={one[field]}
            {...inLargeLength}
            onChange={(v) => setProps({ [field]: v }, k)}
          />{" "}
          {after}
        </span>
      ),
    );
  const say: Record<string, () => React.ReactNode> = {
    slope: () => (
      <>
        on slopes from{" "}
        <NumberWord
          label="least slope"
          value={rules!.slope_deg![0]}
          {...DEGREES}
          step={1}
          min={0}
          onChange={(v) => setRules({ slope_deg: [Math.min(v, rules!.slope_deg![1]), rules!.slope_deg![1]] })}
        />{" "}
        to{" "}
        <NumberWord
          label="steepest slope"
          value={rules!.slope_deg![1]}
          {...DEGREES}
          step={1}
          min={0}
          onChange={(v) => setRules({ slope_deg: [Math.min(v, rules!.slope_deg![0]), v] })}
        />
      </>
    ),
    height: () => (
      <>
        between{" "}
        <NumberWord
          label="lower level"
          value={rules!.height_m![0] ?? 0}
          {...HEIGHTS}
          onChange={(v) => setRules({ height_m: [v, Math.max(v, rules!.height_m![1] ?? v)] })}
        />{" "}
        and{" "}
        <NumberWord
          label="upper level"
          value={rules!.height_m![1] ?? 0}
          {...HEIGHTS}
          onChange={(v) => setRules({ height_m: [Math.min(v, rules!.height_m![0] ?? v), v] })}
        />{" "}
        high, fading over{" "}
        <NumberWord
          label="fading of the levels"
          value={rules!.height_fade_m ?? 0}
          {...inLargeLength}
          min={0}
          onChange={(height_fade_m) => setRules({ height_fade_m })}
        />
      </>
    ),
    near: () =>
      (rules!.near ?? []).map((near, k) => {
        const change = (some: Partial<typeof near>) =>
          setRules({ near: rules!.near!.map((other, i) => (i === k ? { ...other, ...some } : other)) });
        return (
          <span key={k}>
            {k > 0 && " and "}nearer than{" "}
            <NumberWord
              label="nearer than"
              value={near.within_m}
              {...inLargeLength}
              onChange={(within_m) => change({ within_m })}
            />{" "}
            to <Named rule={near} onChange={change} />, fading over{" "}
            <NumberWord
              label="fading of nearness"
              value={near.fade_m ?? 0}
              {...inLargeLength}
              min={0}
              onChange={(fade_m) => change({ fade_m })}
            />
          </span>
        );
      }),
    far: () =>
      (rules!.far ?? []).map((far, k) => {
        const change = (some: Partial<typeof far>) =>
          setRules({ far: rules!.far!.map((other, i) => (i === k ? { ...other, ...some } : other)) });
        return (
          <span key={k}>
            {k > 0 && " and "}farther than{" "}
            <NumberWord
              label="farther than"
              value={far.beyond_m}
              {...inLargeLength}
              onChange={(beyond_m) => change({ beyond_m })}
            />{" "}
            from <Named rule={far} onChange={change} />, fading over{" "}
            <NumberWord
              label="fading of distance"
              value={far.fade_m ?? 0}
              {...inLargeLength}
              min={0}
              onChange={(fade_m) => change({ fade_m })}
            />
          </span>
        );
      }),
    area: () => {
      const area = rules!.area!;
      return (
        <>
          in a{" "}
          <ChoiceWord
            label="shape of the area"
            value={area.round ? "round" : "square"}
            onChange={(v) => setRules({ area: { ...area, round: v === "round" } })}
            choices={[
              { value: "round", words: "circle" },
              { value: "square", words: "rectangle" },
            ]}
          />{" "}
          <NumberWord
            label="area across"
            value={area.across_m}
            {...inLargeLength}
            onChange={(across_m) => setRules({ area: { ...area, across_m } })}
          />{" "}
          across and{" "}
          <NumberWord
            label="area along"
            value={area.along_m}
            {...inLargeLength}
            onChange={(along_m) => setRules({ area: { ...area, along_m } })}
          />{" "}
          along
        </>
      );
    },
    chalk: () => (
      <>
        {rules!.chalk![0]!.weight === 0 ? "not where it is chalked" : "where it is chalked"} (
        <span className="figure">{rules!.chalk!.length}</span>{" "}
        {rules!.chalk!.length === 1 ? "stroke" : "strokes"},{" "}
        <NumberWord
          label="width of the chalk"
          value={chalkWidth}
          {...inLargeLength}
          onChange={(width) => set({ chalkWidth: width })}
        />{" "}
        wide: <QuietButton onClick={() => set({ asking: "chalk" })}>chalk</QuietButton>{" "}
        <QuietButton onClick={() => set({ asking: "rub out" })}>rub out</QuietButton>)
      </>
    ),
    "keep out": () => (
      <>
        never inside <strong>{recipe.keep_out!.map(called).join(" or ")}</strong>
        <WipeOut keys={recipe.keep_out!} />
      </>
    ),
    "only inside": () => (
      <>
        only inside <strong>{recipe.only_inside!.map(called).join(" or ")}</strong>
        <WipeOut keys={recipe.only_inside!} />
      </>
    ),
    size: () => (
      <RangeWords
        label="size"
        between="sized"
        value={rule.size!}
        words={SIZES}
        onChange={(size) => setProps({ size }, null)}
      />
    ),
    proportions: () => (
      <RangeWords
        label="height of it"
        between="its height"
        value={rule.size_up!}
        words={SIZES}
        onChange={(size_up) => setProps({ size_up }, null)}
      />
    ),
    turn: () => (
      <>
        turned in steps of{" "}
        <NumberWord
          label="step of turns"
          value={rule.turn_step_deg!}
          {...DEGREES}
          min={1}
          onChange={(turn_step_deg) => setProps({ turn_step_deg }, null)}
        />
      </>
    ),
    tip: () => (
      <>
        tipped by up to{" "}
        <NumberWord
          label="tipped by"
          value={rule.tip_across_deg![1]}
          {...DEGREES}
          min={1}
          onChange={(v) => setProps({ tip_across_deg: [-v, v], tip_along_deg: [-v, v] }, null)}
        />
      </>
    ),
    lean: () => (
      <>
        leaning{" "}
        <NumberWord
          label="lean"
          value={rule.lean!}
          {...inPercent}
          step={0.05}
          min={0.05}
          max={1}
          onChange={(lean) => setProps({ lean }, null)}
        />{" "}
        with the ground
      </>
    ),
    sink: () => (
      <>
        sunk{" "}
        <NumberWord
          label="sunk"
          value={rule.sink_m!}
          {...inLength}
          onChange={(sink_m) => setProps({ sink_m }, null)}
        />
      </>
    ),
    gather: () => beside("gather_m", "gathered within", "of the others"),
    clear: () => beside("clear_m", "kept", "off the others"),
    elbow: () => (
      <>
        keeping{" "}
        <NumberWord
          label="elbow room"
          value={rule.elbow_room_m ?? 0}
          {...inLength}
          step={0.01}
          max={50}
          onChange={(elbow_room_m) => setProps({ elbow_room_m }, null)}
        />{" "}
        elbow room
      </>
    ),
  };
  return CLAUSES.filter((clause) => clause.here(recipe)).map((clause) => (
    <Said key={clause.id} id={clause.id} words={clause.words} onDrop={() => clause.drop(useStage.getState())}>
      {say[clause.id]!()}
    </Said>
  ));
}

/** What a distance is from: one thing, any of its kind, the edge of the ground, or a line that was drawn. */
function Named(props: {
  rule: { of?: string | null; kind?: string | null; edge?: boolean; line?: unknown };
  onChange: (some: { of: string | null; kind: string | null }) => void;
}) {
  const { pieces, props: known, regions } = useParts("pieces", "props", "regions");
  const { of, kind, edge, line } = props.rule;
  if (edge) return <strong>the edge of the ground</strong>;
  if (line) return <strong>the line you drew</strong>;
  const piece = of != null ? pieces.get(of) : [...pieces.values()].find((p) => p.prop === kind);
  const prop = kind ?? piece?.prop;
  if (prop == null || (of != null && !piece))
    return <strong>{regions.get(of ?? "")?.name ?? "what is gone"}</strong>;
  return (
    <ChoiceWord
      label="from one or any"
      value={kind != null ? "any" : "one"}
      onChange={(v) =>
        props.onChange(
          v === "any" ? { of: null, kind: prop } : { of: piece?.key ?? null, kind: piece ? null : prop },
        )
      }
      choices={[
        { value: "one", words: piece?.name ?? "what is gone" },
        { value: "any", words: `any ${known.get(prop)?.name ?? "copy"}` },
      ]}
    />
  );
}

/** Drawn boxes are taken away here: nothing on the stage can be pressed on for that. */
function WipeOut({ keys }: { keys: string[] }) {
  const { regions, recipe, setRecipe } = useParts("regions", "recipe", "setRecipe");
  const drawn = keys.filter((key) => regions.has(key));
  if (!drawn.length) return null;
  const wipe = async () => {
    if (!(await make({ kind: "wipe_out", regions: drawn }))) return;
    const without = (names: string[] | undefined) => (names ?? []).filter((key) => !drawn.includes(key));
    setRecipe({ keep_out: without(recipe.keep_out), only_inside: without(recipe.only_inside) });
  };
  return (
    <>
      {" "}
      (<QuietButton onClick={() => void wipe()}>wipe out</QuietButton>)
    </>
  );
}

/** What is done with the recipe: laid, laid anew, chosen, forgotten. */
function Doing() {
  const { recipe, setRecipe, openRecipe, recipes, saving, recipeName, set, takeUp } = useParts(
    "recipe",
    "setRecipe",
    "openRecipe",
    "recipes",
    "saving",
    "recipeName",
    "set",
    "takeUp",
  );
  const record = openRecipe === null ? undefined : recipes.get(openRecipe);
  const why = saving
    ? "It is being laid."
    : (whyNot(recipe) ?? (record && isLaid() ? "It lies so." : undefined));
  return (
    <>
      <p className="mt-2">
        <ActionButton onClick={() => void lay()} disabled={why !== undefined} why={why}>
          {record ? "Lay it again" : "Lay it"}
        </ActionButton>
      </p>
      {record && (
        <KeptRecipe
          record={record}
          recipe={recipe}
          name={recipeName}
          stand="lie"
          onExceptions={(exceptions) => setRecipe({ exceptions })}
          onName={(name) => set({ recipeName: name })}
          onRoll={reRoll}
          onForgotten={() => takeUp(null)}
        />
      )}
      {record && <Shown />}
    </>
  );
}

/** Thousands hide the set that they lie on: fewer of them are drawn then, and all of them lie there. */
function Shown() {
  const { shownShare, set } = useParts("shownShare", "set");
  return (
    <p className="mt-1 text-[14px]">
      Of all that recipes laid,{" "}
      <ChoiceWord
        label="how many are drawn"
        value={String(shownShare)}
        onChange={(v) => set({ shownShare: Number(v) })}
        choices={[
          { value: "1", words: "all" },
          { value: "0.5", words: "half" },
          { value: "0.25", words: "a quarter" },
          { value: "0.1", words: "a tenth" },
        ]}
      />{" "}
      {shownShare < 1 ? "are drawn; the others lie there, too." : "are drawn."}
    </p>
  );
}
