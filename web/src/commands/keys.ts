/** Keys to commands: one listener for the page, which asks the table. */
import { useStage } from "../state";
import { commandOf, holdingOf } from "./chosen";
import type { Desk } from "./table";

/** Where keys belong to what has the focus. */
const OWN_KEYS = "input, textarea, select, [role=menu], [role=dialog], [role=listbox]";
/** What Enter and Space press by themselves. */
const PRESSED = "button, a, [role=button]";

/** What arrows move within by themselves. */
const ROVING = "[role=radio], [role=radiogroup], [role=slider], [role=separator], [role=tab], [role=grid]";

/** A press that is longer holds a key; a shorter one taps it. */
const TAP_MS = 350;
/** The command whose key is down, and ends something when it is let go. */
let lasting: { code: string; since: number; used: boolean; letGo: (held: boolean) => void } | null = null;

function letGo(code: string, desk: Desk): void {
  if (lasting?.code !== code) return;
  const { letGo, used, since } = lasting;
  lasting = null;
  const held = used || performance.now() - since > TAP_MS;
  // After what its key has begun, which waits for keys before it.
  void desk.held.settled().then(() => letGo(held));
}

/** Listen until the function that comes back is called. */
export function listenToKeys(desk: Desk): () => void {
  const down = (event: KeyboardEvent) => onKeyDown(event, desk);
  const up = (event: KeyboardEvent) => {
    desk.held.release(event.code);
    letGo(event.code, desk);
  };
  const pressed = () => {
    desk.held.commit();
    if (lasting) lasting.used = true;
  };
  // Keys that are let go elsewhere are not heard of.
  const away = () => {
    pressed();
    if (lasting) letGo(lasting.code, desk);
  };
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", away);
  window.addEventListener("pointerdown", pressed, { capture: true });
  return () => {
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", away);
    window.removeEventListener("pointerdown", pressed, { capture: true });
  };
}

export function onKeyDown(event: KeyboardEvent, desk: Desk): void {
  const target = event.target as HTMLElement;
  if (target.closest(OWN_KEYS)) return;
  // An old step that is looked at cannot be changed: only what leaves it counts.
  const old = useStage.getState().preview !== null;
  if (event.key.startsWith("Arrow") && target.closest(ROVING)) return;
  const holding = old ? undefined : holdingOf(event);
  if (holding) {
    if (holding.instead?.()) return event.preventDefault();
    if (!useStage.getState().selected.length) return;
    event.preventDefault();
    return desk.held.press(event.code, holding.step({ shift: event.shiftKey, alt: event.altKey }, desk));
  }
  const command = commandOf(event);
  if (!command || (old && !command.leaves) || (command.id === "enter" && target.closest(PRESSED))) return;
  event.preventDefault();
  if (event.repeat && !command.repeats) return;
  desk.held.commit();
  const why = command.lacking?.() ?? null;
  if (why) return useStage.getState().set({ note: why });
  if (command.letGo)
    lasting = { code: event.code, since: performance.now(), used: false, letGo: command.letGo };
  void desk.held.settled().then(() => command.run(desk));
}
