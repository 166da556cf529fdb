/** All verbs, in the order in which they stand. Each is a module of its own: whatever is to be known of it stands there. */
import type { Verb } from "../state/tools";
import { build } from "./build";
import { fill } from "./fill";
import { join } from "./join";
import { lineUp } from "./lineup";
import { lookOver } from "./lookover";
import { measure } from "./measure";
import { pour } from "./pour";
import { repair } from "./repair";
import { scatter } from "./scatter";
import { setDown } from "./setdown";
import { settle } from "./settle";
import type { Group, Tool } from "./tool";

export const TOOLS: Tool[] = [
  setDown,
  lookOver,
  join,
  lineUp,
  scatter,
  fill,
  settle,
  pour,
  build,
  repair,
  measure,
];

export const GROUPS: Group[] = ["one by one", "many", "the set"];
/** What a prop is for that is chosen while the verb in hand has no use for it. */
export const USUAL = setDown;

export function toolOf(verb: Verb): Tool {
  return TOOLS.find((tool) => tool.verb === verb) ?? lookOver;
}
