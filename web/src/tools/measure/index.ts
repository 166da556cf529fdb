import type { Tool } from "../tool";
import { MeasurePointer } from "./pointer";
import { MeasureSlip } from "./Slip";

export const measure: Tool = {
  verb: "measure",
  key: "m",
  group: null,
  Slip: MeasureSlip,
  pointer: (stage) => new MeasurePointer(stage),
};
