/** What happens when a prop is chosen: it is for the verb in hand, set down next, or takes the place of what is selected. */
import type { Prop } from "../api/client";
import { make } from "../stage/making";
import { useStage } from "../state";
import { USUAL, toolOf } from "../tools";

export function choose(prop: Prop): void {
  const { trolley, pieces, swapping, selected, verb, learn, set } = useStage.getState();
  learn([prop]);
  const here = trolley.includes(prop.key) || [...pieces.values()].some((p) => p.prop === prop.key);
  // A set whose trolley was never packed has the whole store on it.
  if (trolley.length > 0 && !here) void make({ kind: "adjust", trolley_add: [prop.key] });
  if (swapping) {
    set({ swapping: false, note: null });
    void make({ kind: "swap", pieces: selected, prop: prop.key });
  } else (toolOf(verb).onPropChosen ?? USUAL.onPropChosen)?.(prop);
}
