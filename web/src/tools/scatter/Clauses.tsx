/** The clauses of a scatter recipe that may be left out, as words of its sentence. */
import { inDegrees, inLargeLength, inLength, inPercent } from "../../slip/figures";
import { RangeWords, Said } from "../../slip/recipeWords";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { make } from "../../stage/making";
import { useParts, useStage } from "../../state";
import { type PropRule, type Recipe, recipeOf } from "../../state/scatter";
import { QuietButton } from "../../ui/buttons";
import { CLAUSES, differs, spokenOf } from "./recipes";

const SIZES = { ...inPercent, step: 0.05, min: 0.05, max: 10 };
const DEGREES = { ...inDegrees, step: 5, min: -180, max: 180 };
const HEIGHTS = { ...inLargeLength, min: -200 };

export function Clauses({ recipe }: { recipe: Recipe }) {
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
  const { saidOf } = useParts("saidOf");
  const only = spokenOf({ recipe, saidOf });
  const rule: Partial<PropRule> = recipe.props[only ?? 0] ?? {};
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
  /** What is said of how far it lies from things. */
  const distances = (side: "near" | "far", reach: string, before: string, link: string, fading: string) =>
    (rules?.[side] ?? []).map((one, k) => {
      const change = (some: object) =>
        setRules({ [side]: rules![side]!.map((other, i) => (i === k ? { ...other, ...some } : other)) });
      return (
        <span key={k}>
          {k > 0 && " and "}
          {before}{" "}
          <NumberWord
            label={before}
            value={"within_m" in one ? one.within_m : one.beyond_m}
            {...inLargeLength}
            onChange={(v) => change({ [reach]: v })}
          />{" "}
          {link} <Named rule={one} onChange={change} />, fading over{" "}
          <NumberWord
            label={fading}
            value={one.fade_m ?? 0}
            {...inLargeLength}
            min={0}
            onChange={(fade_m) => change({ fade_m })}
          />
        </span>
      );
    });
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
    near: () => distances("near", "within_m", "nearer than", "to", "fading of nearness"),
    far: () => distances("far", "beyond_m", "farther than", "from", "fading of distance"),
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
        <QuietButton onClick={() => set({ asking: "rub out" })}>rub out</QuietButton>
        <ChalkedModels />)
      </>
    ),
    paint: () => {
      const [paint] = rules!.paint!;
      const change = (some: Partial<typeof paint>) => setRules({ paint: [{ ...paint, ...some }] });
      return (
        <>
          where its model is{" "}
          <ChoiceWord
            label="painted or not"
            value={paint!.reverse ? "not" : "there"}
            onChange={(v) => change({ reverse: v === "not" })}
            choices={[
              { value: "there", words: "painted" },
              { value: "not", words: "not painted" },
            ]}
          />{" "}
          <ChoiceWord
            label="painted in"
            value={paint!.channel ?? "light"}
            onChange={(channel) => change({ channel })}
            choices={[
              { value: "light", words: "light" },
              { value: "red", words: "red" },
              { value: "green", words: "green" },
              { value: "blue", words: "blue" },
            ]}
          />
        </>
      );
    },
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
        onChange={(size) => setProps({ size }, only)}
      />
    ),
    proportions: () => (
      <RangeWords
        label="height of it"
        between="its height"
        value={rule.size_up!}
        words={SIZES}
        onChange={(size_up) => setProps({ size_up }, only)}
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
          onChange={(turn_step_deg) => setProps({ turn_step_deg }, only)}
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
          onChange={(v) => setProps({ tip_across_deg: [-v, v], tip_along_deg: [-v, v] }, only)}
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
          onChange={(lean) => setProps({ lean }, only)}
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
          onChange={(sink_m) => setProps({ sink_m }, only)}
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
          onChange={(elbow_room_m) => setProps({ elbow_room_m }, only)}
        />{" "}
        elbow room
      </>
    ),
  };
  return CLAUSES.filter((clause) => clause.here(recipe, saidOf)).map((clause) => (
    <Said key={clause.id} id={clause.id} words={clause.words} onDrop={() => clause.drop(useStage.getState())}>
      {only === null && clause.field && differs(recipe, clause.field)
        ? `${clause.words.replace("…", "")}, each in its own way`
        : say[clause.id]!()}
    </Said>
  ));
}

/** The chalk of a recipe that is laid, as vertex colours of what it lies on. */
function ChalkedModels() {
  const {
    recipe,
    openRecipe,
    recipes,
    pieces,
    key: set,
  } = useParts("recipe", "openRecipe", "recipes", "pieces", "key");
  const kept = openRecipe === null ? undefined : recipes.get(openRecipe);
  const chalked = (kept && recipeOf(kept).rules?.chalk?.length) ?? 0;
  return recipe.on
    .filter((key) => chalked && pieces.has(key))
    .map((key) => (
      <span key={key}>
        {" "}
        <a
          className="word"
          href={`/api/sets/${set}/recipes/${openRecipe}/chalk/${key}.glb`}
          download
          title="The model with its chalk as vertex colours: black where there is none, white where all of it."
        >
          save it as colours of {pieces.get(key)!.name}
        </a>
      </span>
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
