import { mend } from "../../stage/making";
import { LookOverPointer } from "../lookover/pointer";
import type { Tool } from "../tool";
import { RepairSlip } from "./Slip";

export const repair: Tool = {
  verb: "repair",
  key: "0",
  group: "the set",
  Slip: RepairSlip,
  pointer: (stage) => new LookOverPointer(stage),
  enter: () => void mend(null),
  puck: () => true,
};
