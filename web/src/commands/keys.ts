/** Keys to commands: one listener for the page, which asks the table. */
import { type KeyBindingPress, matchKeyBindingPress, parseKeybinding } from "tinykeys";

import { useStage } from "../state";
import { COMMANDS, type Desk, HELD } from "./table";

/** Where keys belong to what has the focus. */
const OWN_KEYS = "input, textarea, select, [role=menu], [role=dialog], [role=listbox]";
/** What Enter and Space press by themselves. */
const PRESSED = "button, a, [role=button]";

const bound = <T extends { keys: string[] }>(commands: T[]): [KeyBindingPress, T][] =>
  commands.flatMap((command) =>
    command.keys.map((keys) => [parseKeybinding(keys)[0]!, command] as [KeyBindingPress, T]),
  );
const PLAIN = bound(COMMANDS);
const HOLDING = bound(HELD);

/** Listen until the function that comes back is called. */
export function listenToKeys(desk: Desk): () => void {
  const down = (event: KeyboardEvent) => onKeyDown(event, desk);
  const up = (event: KeyboardEvent) => desk.held.release(event.code);
  const away = () => desk.held.commit();
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", away);
  window.addEventListener("pointerdown", away, { capture: true });
  return () => {
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", away);
    window.removeEventListener("pointerdown", away, { capture: true });
  };
}

export function onKeyDown(event: KeyboardEvent, desk: Desk): void {
  const target = event.target as HTMLElement;
  if (target.closest(OWN_KEYS)) return;
  // An old step that is looked at cannot be changed: only what leaves it counts.
  const old = useStage.getState().preview !== null;
  const holding = old ? undefined : HOLDING.find(([press]) => matchKeyBindingPress(event, press))?.[1];
  if (holding) {
    if (holding.instead?.(event)) return event.preventDefault();
    if (!useStage.getState().selected.length) return;
    event.preventDefault();
    return desk.held.press(event.code, holding.step(event, desk));
  }
  const command = PLAIN.find(([press]) => matchKeyBindingPress(event, press))?.[1];
  if (
    !command ||
    command.passes?.(event) ||
    (old && !command.leaves) ||
    (command.id === "enter" && target.closest(PRESSED))
  )
    return;
  event.preventDefault();
  if (event.repeat && !command.repeats) return;
  desk.held.commit();
  const why = command.lacking?.() ?? null;
  if (why) return useStage.getState().set({ note: why });
  void desk.held.settled().then(() => command.run(desk));
}
