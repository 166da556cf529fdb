import { useStage } from "../../state";
import type { Tool } from "../tool";
import { SetDownPointer } from "./pointer";
import { SetDownSlip } from "./Slip";

const inHand = () => useStage.getState().slip.prop !== null;

export const setDown: Tool = {
  verb: "set down",
  key: "1",
  group: "one by one",
  Slip: SetDownSlip,
  pointer: (stage) => new SetDownPointer(stage),
  works: inHand,
  worksInJobs: inHand,
  puck: () => !inHand(),
  onPropChosen: (prop) => {
    const { setSlip, setVerb } = useStage.getState();
    setSlip({ prop: prop.key });
    setVerb(setDown.verb);
  },
  takes: (prop, { slip }) => slip.prop === prop,
  backOut: () => {
    if (!inHand()) return false;
    useStage.getState().setSlip({ prop: null });
    return true;
  },
};
