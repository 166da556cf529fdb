/** Clauses of how each prop lies: its size, its turn, and what it keeps off. */
import { inDegrees, inLargeLength, inLength, inPercent } from "../../../slip/figures";
import { RangeWords } from "../../../slip/recipeWords";
import { NumberWord } from "../../../slip/words";
import { useParts } from "../../../state";
import type { ClauseProps, ClauseWords } from "./clause";

const SIZES = { ...inPercent, step: 0.05, min: 0.05, max: 10 };
const DEGREES = { ...inDegrees, step: 5, min: 1, max: 180 };

export const HOW: Record<string, ClauseWords> = {
  size: Size,
  proportions: Proportions,
  turn: Turn,
  tip: Tip,
  lean: Lean,
  sink: Sink,
  gather: ({ recipe }) => (
    <Beside recipe={recipe} field="gather_m" before="gathered within" after="of the others" />
  ),
  clear: ({ recipe }) => <Beside recipe={recipe} field="clear_m" before="kept" after="off the others" />,
  elbow: Elbow,
};

function Size({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
    <RangeWords
      label="size"
      between="sized"
      value={rule.size!}
      words={SIZES}
      onChange={(size) => setProps({ size }, only)}
    />
  );
}

function Proportions({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
    <RangeWords
      label="height of it"
      between="its height"
      value={rule.size_up!}
      words={SIZES}
      onChange={(size_up) => setProps({ size_up }, only)}
    />
  );
}

function Turn({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
    <>
      turned in steps of{" "}
      <NumberWord
        label="step of turns"
        value={rule.turn_step_deg!}
        {...DEGREES}
        onChange={(turn_step_deg) => setProps({ turn_step_deg }, only)}
      />
    </>
  );
}

function Tip({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
    <>
      tipped by up to{" "}
      <NumberWord
        label="tipped by"
        value={rule.tip_across_deg![1]}
        {...DEGREES}
        onChange={(v) => setProps({ tip_across_deg: [-v, v], tip_along_deg: [-v, v] }, only)}
      />
    </>
  );
}

function Lean({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
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
  );
}

function Sink({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
    <>
      sunk{" "}
      <NumberWord
        label="sunk"
        value={rule.sink_m!}
        {...inLength}
        onChange={(sink_m) => setProps({ sink_m }, only)}
      />
    </>
  );
}

function Elbow({ rule, only }: ClauseProps) {
  const { setProps } = useParts("setProps");
  return (
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
  );
}

/** What is said of single props beside the others. */
function Beside(
  props: Pick<ClauseProps, "recipe"> & { field: "gather_m" | "clear_m"; before: string; after: string },
) {
  const { props: known, setProps } = useParts("props", "setProps");
  const { recipe, field, before, after } = props;
  return recipe.props.map((one, k) =>
    one[field] == null ? null : (
      <span key={one.prop ?? k}>
        the <strong>{known.get(one.prop ?? "")?.name}</strong> {before}{" "}
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
}
