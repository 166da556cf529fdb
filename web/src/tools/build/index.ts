import type { Tool } from "../tool";
import { BuildPointer } from "./pointer";
import { BuildSlip } from "./Slip";

export const build: Tool = {
  verb: "build",
  key: "9",
  group: "the set",
  Slip: BuildSlip,
  pointer: (stage) => new BuildPointer(stage),
};
