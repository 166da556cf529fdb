import { useStage } from "../../state";
import type { Tool } from "../tool";
import { LineUpPointer } from "./pointer";
import { LineUpSlip } from "./Slip";

export const lineUp: Tool = {
  verb: "line up",
  key: "4",
  group: "one by one",
  Slip: LineUpSlip,
  pointer: (stage) => new LineUpPointer(stage),
  backOut: () => {
    const { picked, target, set } = useStage.getState();
    if (!picked.length && !target) return false;
    set({ picked: [], target: null });
    return true;
  },
};
