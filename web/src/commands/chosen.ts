/** Keys that somebody has chosen in place of those that commands come with. They are kept with the account. */
import { type KeyBindingPress, matchKeyBindingPress, parseKeybinding } from "tinykeys";
import { create } from "zustand";

import { type Schemas, client, wanted } from "../api/client";
import { told } from "../ui/telling";
import { COMMANDS, type Command, HELD, type HeldCommand } from "./table";

/** A key as `tinykeys` writes it, by its place on the keyboard, and as it is written for people. */
export type ChosenKey = Schemas["ChosenKey"];
type Chosen = Readonly<Record<string, ChosenKey>>;

export const useChosen = create<{ chosen: Chosen }>(() => ({ chosen: {} }));

export async function fetchChosen(): Promise<void> {
  const { keys } = await wanted<Schemas["ChosenKeys"]>(client.GET("/api/visitor/keys"));
  useChosen.setState({ chosen: keys });
}

/** One after the other: what was chosen last is what is kept. */
let keeping: Promise<unknown> = Promise.resolve();

function keep(chosen: Chosen): Promise<void> {
  const before = useChosen.getState().chosen;
  useChosen.setState({ chosen });
  const send = async () => {
    const kept = await told(wanted(client.PUT("/api/visitor/keys", { body: { keys: { ...chosen } } })));
    if (kept === null && useChosen.getState().chosen === chosen) useChosen.setState({ chosen: before });
  };
  const kept = keeping.then(send);
  keeping = kept;
  return kept;
}

/** Have a command done by another key. */
export const choose = (id: string, key: ChosenKey): Promise<void> =>
  keep({ ...useChosen.getState().chosen, [id]: key });

/** Have all commands done by the keys that they came with. */
export const forgetAll = (): Promise<void> => keep({});

/** How the key of a command is written now. */
export const shownOf = ({ id, shown }: { id: string; shown: string }, chosen: Chosen): string =>
  chosen[id]?.shown ?? shown;

/** The same for a command by its name, where it is written on the page. */
export function useShown(id: string): string {
  const { chosen } = useChosen();
  const command = [...COMMANDS, ...HELD].find((each) => each.id === id);
  return command ? shownOf(command, chosen) : "";
}

const parsed = new Map<string, KeyBindingPress>();
function pressed(event: KeyboardEvent, keys: string): boolean {
  let press = parsed.get(keys);
  if (!press) parsed.set(keys, (press = parseKeybinding(keys)[0]!));
  return matchKeyBindingPress(event, press);
}

/** The command that adds up while this key is held. Shift and Alt only change its stride. */
export function holdingOf(event: KeyboardEvent): HeldCommand | undefined {
  if (event.ctrlKey || event.metaKey) return undefined;
  const { chosen } = useChosen.getState();
  return HELD.find(({ id, key, code }) => {
    const own = chosen[id];
    if (own) return event.code === own.press;
    return event.key === key || ((event.shiftKey || event.altKey) && event.code === code);
  });
}

/** The command that this key does at once. */
export function commandOf(event: KeyboardEvent): Command | undefined {
  const { chosen } = useChosen.getState();
  return COMMANDS.find(({ id, keys }) => {
    const own = chosen[id];
    return (own ? [own.press] : keys).some((each) => pressed(event, each));
  });
}

const MODIFIERS = ["Shift", "Control", "Alt", "Meta", "AltGraph", "CapsLock", "Dead"];
/** Nothing is pressed yet but what is held besides a key. */
export const isModifier = ({ key }: KeyboardEvent): boolean => MODIFIERS.includes(key);
/** What leaves, and what walks through the page, stay as they are. */
const KEPT = ["Escape", "Tab"];

/** The key that was pressed to be chosen, null where it can be none. `held`: for what adds up, without Shift and Alt. */
export function keyOf(event: KeyboardEvent, held: boolean): ChosenKey | null {
  const { key, code, shiftKey, altKey } = event;
  if (isModifier(event) || KEPT.includes(key) || !code) return null;
  const control = event.ctrlKey || event.metaKey;
  if (held && (control || shiftKey || altKey)) return null;
  const written = key.length === 1 ? key.toUpperCase() : key.replace(/^Arrow/, "");
  const name = written === " " ? "Space" : written;
  const parts = (mod: string) => [control && mod, shiftKey && "Shift", altKey && "Alt"].filter(Boolean);
  return { press: [...parts("$mod"), code].join("+"), shown: [...parts("Ctrl"), name].join(" ") };
}
