import { LookOverPointer } from "../lookover/pointer";
import type { Tool } from "../tool";
import { enter } from "./enter";
import { SettleSlip } from "./Slip";

export const settle: Tool = {
  verb: "settle",
  key: "7",
  group: "many",
  Slip: SettleSlip,
  pointer: (stage) => new LookOverPointer(stage),
  enter,
};
