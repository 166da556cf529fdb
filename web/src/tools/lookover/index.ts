import { IDLE } from "../../state/tools";
import type { Tool } from "../tool";
import { LookOverPointer } from "./pointer";
import { LookOverSlip } from "./Slip";

export const lookOver: Tool = {
  verb: IDLE,
  key: "2",
  group: "one by one",
  Slip: LookOverSlip,
  pointer: (stage) => new LookOverPointer(stage),
  puck: () => true,
};
