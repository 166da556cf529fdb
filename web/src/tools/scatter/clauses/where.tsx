/** Clauses of where things may lie. */
import { inDegrees, inLargeLength } from "../../../slip/figures";
import { ChoiceWord, NumberWord } from "../../../slip/words";
import { make } from "../../../stage/making";
import { useParts } from "../../../state";
import { QuietButton } from "../../../ui/buttons";
import { Chalked } from "./chalk";
import type { ClauseProps, ClauseWords } from "./clause";
import { Far, Near } from "./distances";

const SLOPES = { ...inDegrees, step: 1, min: 0, max: 180 };
const LEVELS = { ...inLargeLength, min: -200 };

export const WHERE: Record<string, ClauseWords> = {
  slope: Slope,
  height: Height,
  near: Near,
  far: Far,
  area: Area,
  chalk: Chalked,
  paint: Painted,
  "keep out": ({ recipe }) => <Inside when="never" keys={recipe.keep_out!} />,
  "only inside": ({ recipe }) => <Inside when="only" keys={recipe.only_inside!} />,
};

function Slope({ recipe }: ClauseProps) {
  const { setRules } = useParts("setRules");
  const [least, most] = recipe.rules!.slope_deg!;
  return (
    <>
      on slopes from{" "}
      <NumberWord
        label="least slope"
        value={least}
        {...SLOPES}
        onChange={(v) => setRules({ slope_deg: [Math.min(v, most), most] })}
      />{" "}
      to{" "}
      <NumberWord
        label="steepest slope"
        value={most}
        {...SLOPES}
        onChange={(v) => setRules({ slope_deg: [Math.min(v, least), v] })}
      />
    </>
  );
}

function Height({ recipe }: ClauseProps) {
  const { setRules } = useParts("setRules");
  const [low, high] = recipe.rules!.height_m!;
  return (
    <>
      between{" "}
      <NumberWord
        label="lower level"
        value={low ?? 0}
        {...LEVELS}
        onChange={(v) => setRules({ height_m: [v, Math.max(v, high ?? v)] })}
      />{" "}
      and{" "}
      <NumberWord
        label="upper level"
        value={high ?? 0}
        {...LEVELS}
        onChange={(v) => setRules({ height_m: [Math.min(v, low ?? v), v] })}
      />{" "}
      high, fading over{" "}
      <NumberWord
        label="fading of the levels"
        value={recipe.rules!.height_fade_m ?? 0}
        {...inLargeLength}
        min={0}
        onChange={(height_fade_m) => setRules({ height_fade_m })}
      />
    </>
  );
}

function Area({ recipe }: ClauseProps) {
  const { setRules } = useParts("setRules");
  const area = recipe.rules!.area!;
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
}

function Painted({ recipe }: ClauseProps) {
  const { setRules } = useParts("setRules");
  const [paint] = recipe.rules!.paint!;
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
}

/** Boxes or pieces that nothing lies in, or all lies in. Boxes that were drawn are taken away here: nothing on the stage can
 * be pressed on for that. */
function Inside({ when, keys }: { when: "never" | "only"; keys: string[] }) {
  const { pieces, regions, recipe, setRecipe } = useParts("pieces", "regions", "recipe", "setRecipe");
  const names = keys.map((key) => pieces.get(key)?.name ?? regions.get(key)?.name ?? "what is gone");
  const drawn = keys.filter((key) => regions.has(key));
  const wipe = async () => {
    if (!(await make({ kind: "wipe_out", regions: drawn }))) return;
    const without = (named: string[] | undefined) => (named ?? []).filter((key) => !drawn.includes(key));
    setRecipe({ keep_out: without(recipe.keep_out), only_inside: without(recipe.only_inside) });
  };
  return (
    <>
      {when} inside <strong>{names.join(" or ")}</strong>
      {drawn.length > 0 && (
        <>
          {" "}
          (<QuietButton onClick={() => void wipe()}>wipe out</QuietButton>)
        </>
      )}
    </>
  );
}
