/** All verbs, in the order in which they stand. One folder each: its slip, what the pointer does, and here its key. */
import { mend } from "../stage/making";
import type { Verb } from "../state/tools";
import { BuildPointer } from "./build/pointer";
import { BuildSlip } from "./build/Slip";
import { fill } from "./fill/filling";
import { FillPointer } from "./fill/pointer";
import { FillSlip } from "./fill/Slip";
import { JoinPointer } from "./join/pointer";
import { JoinSlip } from "./join/Slip";
import { LineUpPointer } from "./lineup/pointer";
import { LineUpSlip } from "./lineup/Slip";
import { LookOverPointer } from "./lookover/pointer";
import { LookOverSlip } from "./lookover/Slip";
import { MeasurePointer } from "./measure/pointer";
import { MeasureSlip } from "./measure/Slip";
import { PourPointer } from "./pour/pointer";
import { PourSlip } from "./pour/Slip";
import { RepairSlip } from "./repair/Slip";
import { ScatterPointer } from "./scatter/pointer";
import { lay } from "./scatter/recipes";
import { ScatterSlip } from "./scatter/Slip";
import { SetDownPointer } from "./setdown/pointer";
import { SetDownSlip } from "./setdown/Slip";
import { enter as settleNow } from "./settle/enter";
import { SettleSlip } from "./settle/Slip";
import type { Group, StageParts, Tool } from "./tool";

const looking = (stage: StageParts) => new LookOverPointer(stage);

export const TOOLS: Tool[] = [
  {
    verb: "set down",
    key: "1",
    group: "one by one",
    Slip: SetDownSlip,
    pointer: (stage) => new SetDownPointer(stage),
  },
  { verb: "look over", key: "2", group: "one by one", Slip: LookOverSlip, pointer: looking },
  {
    verb: "join",
    key: "3",
    group: "one by one",
    Slip: JoinSlip,
    pointer: (stage) => new JoinPointer(stage),
  },
  {
    verb: "line up",
    key: "4",
    group: "one by one",
    Slip: LineUpSlip,
    pointer: (stage) => new LineUpPointer(stage),
  },
  {
    verb: "scatter",
    key: "5",
    group: "many",
    Slip: ScatterSlip,
    pointer: (stage) => new ScatterPointer(stage),
    enter: () => void lay(),
  },
  {
    verb: "fill",
    key: "6",
    group: "many",
    Slip: FillSlip,
    pointer: (stage) => new FillPointer(stage),
    enter: () => void fill(true),
  },
  { verb: "settle", key: "7", group: "many", Slip: SettleSlip, pointer: looking, enter: settleNow },
  { verb: "pour", key: "8", group: "many", Slip: PourSlip, pointer: (stage) => new PourPointer(stage) },
  { verb: "build", key: "9", group: "the set", Slip: BuildSlip, pointer: (stage) => new BuildPointer(stage) },
  {
    verb: "repair",
    key: "0",
    group: "the set",
    Slip: RepairSlip,
    pointer: looking,
    enter: () => void mend(null),
  },
  {
    verb: "measure",
    key: "m",
    group: null,
    Slip: MeasureSlip,
    pointer: (stage) => new MeasurePointer(stage),
  },
];

export const GROUPS: Group[] = ["one by one", "many", "the set"];

export function toolOf(verb: Verb): Tool {
  return TOOLS.find((tool) => tool.verb === verb)!;
}
