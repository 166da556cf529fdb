import { useStage } from "../../state";
import { handlesOf } from "../boxes";
import { numbersOf } from "../numbers";
import type { Tool } from "../tool";
import { bayInHand, fill as fillNow, toggleInFilling } from "./filling";
import { FillPointer } from "./pointer";
import { FillSlip } from "./Slip";

export const fill: Tool = {
  verb: "fill",
  key: "6",
  group: "many",
  Slip: FillSlip,
  pointer: (stage) => new FillPointer(stage),
  enter: () => void fillNow(true),
  onPropChosen: (prop) => toggleInFilling(prop.key),
  takes: (prop, { filling }) => filling.props.some((rule) => rule.prop === prop),
  marks: (view) => ({
    flags: numbersOf(useStage.getState().openFilling, view),
    handles: handlesOf(bayInHand()),
  }),
};
