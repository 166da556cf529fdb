import type { Tool } from "../tool";
import { marks } from "./marks";
import { ScatterPointer } from "./pointer";
import { lay, toggleProp } from "./recipes";
import { ScatterSlip } from "./Slip";

export const scatter: Tool = {
  verb: "scatter",
  key: "5",
  group: "many",
  Slip: ScatterSlip,
  pointer: (stage) => new ScatterPointer(stage),
  enter: () => void lay(),
  onPropChosen: (prop) => toggleProp(prop.key),
  takes: (prop, { recipe }) => recipe.props.some((rule) => rule.prop === prop),
  marks,
};
