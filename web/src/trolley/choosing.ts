/** What happens when a prop is chosen: it is set down next, poured, or takes the place of what is selected. */
import type { Prop } from "../api/client";
import { make } from "../stage/making";
import { useStage } from "../state";
import { toggleInFilling } from "../tools/fill/filling";
import { toggleProp } from "../tools/scatter/recipes";

export function choose(prop: Prop): void {
  const { trolley, pieces, swapping, selected, verb, pour } = useStage.getState();
  const { learn, set, select, setPour, setSlip, setJoin, setVerb } = useStage.getState();
  learn([prop]);
  const here = trolley.includes(prop.key) || [...pieces.values()].some((p) => p.prop === prop.key);
  // A set whose trolley was never packed has the whole store on it.
  if (trolley.length > 0 && !here) void make({ kind: "adjust", trolley_add: [prop.key] });
  if (swapping) {
    set({ swapping: false, note: null });
    void make({ kind: "swap", pieces: selected, prop: prop.key });
  } else if (verb === "pour") {
    const { props } = pour;
    setPour({ props: props.includes(prop.key) ? props.filter((k) => k !== prop.key) : [...props, prop.key] });
  } else if (verb === "scatter") {
    toggleProp(prop.key);
  } else if (verb === "fill") {
    toggleInFilling(prop.key);
  } else if (verb === "join") {
    // A new copy is joined: nothing that stands is carried any more.
    select([]);
    setSlip({ prop: prop.key });
    setJoin({ seat: null, turn: 0 });
  } else {
    setSlip({ prop: prop.key });
    setVerb("set down");
  }
}
