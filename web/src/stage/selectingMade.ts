/** What a move brings is selected when its answer is here, unless whoever made it has gone on by then. */
import { useStage } from "../state";

/** What the last answer selected: pieces that come one after another do not count as going on. */
let lastMade = "";

/** Call it at the press; call what it returns with the keys of the pieces that were made. */
export function selectingMade(): (keys: string[]) => void {
  const before = now();
  return (keys) => {
    const { verb, selected } = now();
    if (verb !== before.verb || (selected !== before.selected && selected !== lastMade)) return;
    lastMade = keys.join();
    useStage.getState().select(keys);
  };
}

function now(): { verb: string; selected: string } {
  const { verb, selected } = useStage.getState();
  return { verb, selected: selected.join() };
}
