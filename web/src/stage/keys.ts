/** The keys of the stage, and what the key sheet says of them. */
import { isFault } from "../fit/Glyph";
import { lookThroughGap, make, mend, redo, undo } from "./making";
import { withWhatRestsOn } from "./selecting";
import { type Verb, VERBS, useStage } from "./store";
import type { StageView } from "./view";

export const KEY_SHEET: [string, string][] = [
  ["1 – 7", "choose what to do"],
  ["/", "find a prop"],
  ["← → ↑ ↓", "slide what is selected by a step, staying seated; Shift ten steps, Alt a tenth"],
  [", .", "turn by a step; Shift 90°, Alt 1°"],
  ["[ ]", "make smaller, larger by a step"],
  ["- =", "sink, raise by a step; Shift ten steps"],
  [
    "puck",
    "drag its face to slide, its rim to turn, its post to raise, its corner to size; Alt lets go of the surface; type a figure while dragging",
  ],
  ["Enter", "do what the slip says (set down, or pour and pause, in the middle of the view)"],
  ["Esc", "back out"],
  ["Shift press, sweep", "select more"],
  ["U", "select what rests on it, too"],
  ["H", "hold the selection; again to let it go"],
  ["G", "group what is selected; again to part it"],
  ["L", "look through the gap"],
  ["F", "look at what is selected"],
  ["V", "see through bearers"],
  ["I", "show only what is selected and what carries it"],
  ["N", "next piece that does not sit; Shift the one before"],
  ["Ctrl D", "one more copy beside it"],
  ["R", "let it rest: tilt to the nearest stable stand"],
  ["K", "spike or free"],
  ["S", "cardboard person to the pointer; again to send it away"],
  ["T", "the ledger: every piece and its fit as a table"],
  ["Y", "the history: what was done"],
  ["Delete", "take away"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
  ["?", "this sheet"],
];

/** A tenth of the usual step where a step is free. */
const FREE = { slide: 0.001, turn: 1, raise: 0.0001, size: 0.01 };

const rough = (event: KeyboardEvent): number => (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);

function stepOf(kind: keyof typeof FREE): number {
  return useStage.getState().steps[kind] || FREE[kind];
}

function act({ setDown, pour }: KeyTool): void {
  const { verb, selected, slip, together } = useStage.getState();
  if (verb === "repair") void mend(null);
  else if (verb === "set down" && slip.prop) setDown();
  else if (verb === "pour") pour();
  else if (selected.length) void make({ kind: "reseat", pieces: selected, together });
}

export async function lookThrough(view: StageView): Promise<void> {
  const { selected, pointed } = useStage.getState();
  const key = selected[0] ?? pointed;
  if (!key) {
    useStage.getState().set({ note: "press on a piece first, then look through its gap" });
    return;
  }
  const found = await lookThroughGap(key);
  if (found) view.lookThrough(found.at, found.azimuth, found.half);
}

export interface KeyTool {
  sheet: () => void;
  cancel: () => void;
  setDown: () => void;
  standee: () => void;
  pour: () => void;
}

export function onStageKey(event: KeyboardEvent, view: StageView, tool: KeyTool): void {
  const target = event.target as HTMLElement;
  if (target.closest("input, textarea, select, [role=menu], [role=dialog], [role=listbox]")) return;
  if (useStage.getState().preview && event.key !== "Escape") return;
  const state = useStage.getState();
  const { selected, together } = state;
  const some = selected.length > 0;
  const key = event.key;
  const done = () => event.preventDefault();

  if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "z") {
    done();
    void (event.shiftKey ? redo() : undo());
  } else if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "d") {
    done();
    if (some) void copyBeside(view);
  } else if (event.ctrlKey || event.metaKey) {
    return;
  } else if (/^[1-9]$/.test(key)) {
    const verb: Verb | undefined = VERBS[Number(key) - 1];
    if (verb) state.setVerb(verb);
  } else if (key.startsWith("Arrow") && some) {
    done();
    const { right, away } = view.floorAxes();
    const way = key === "ArrowRight" || key === "ArrowLeft" ? right : away;
    const sign = (key === "ArrowRight" || key === "ArrowUp" ? 1 : -1) * stepOf("slide") * rough(event);
    void make({
      kind: "slide",
      pieces: selected,
      by: [way[0] * sign, way[1] * sign, way[2] * sign],
      together,
    });
  } else if ((key === "," || key === "." || key === "<" || key === ">") && some) {
    const degrees = event.shiftKey ? 90 : event.altKey ? 1 : stepOf("turn");
    const sign = key === "," || key === "<" ? 1 : -1;
    void make({ kind: "turn", pieces: selected, angle_deg: sign * degrees, together });
  } else if ((key === "[" || key === "]") && some) {
    const factor = 1 + stepOf("size");
    void make({ kind: "size", pieces: selected, factor: key === "]" ? factor : 1 / factor, together });
  } else if ((key === "-" || key === "=" || key === "_" || key === "+") && some) {
    const piece = state.pieces.get(selected[0]!);
    if (!piece) return;
    const step = (key === "-" || key === "_" ? 1 : -1) * stepOf("raise") * (event.shiftKey ? 10 : 1);
    const sink = Math.round((piece.sink - piece.stand_off + step) * 1e6) / 1e6;
    void make({ kind: "bed", pieces: selected, sink });
  } else if (key === "Enter" && !target.closest("button, a")) {
    done();
    act(tool);
  } else if (key === "Escape") {
    tool.cancel();
    if (state.preview) state.set({ preview: null });
    else if (state.swapping) state.set({ swapping: false, note: null });
    else if (state.held) state.set({ held: false });
    else if (state.isolated) state.set({ isolated: false });
    else if (state.verb === "set down" && state.slip.prop) state.setSlip({ prop: null });
    else if (some) state.select([]);
    else state.setVerb("look over");
  } else if (key === "/") {
    done();
    document.getElementById("find-prop")?.focus();
  } else if (key.toLowerCase() === "l") {
    void lookThrough(view);
  } else if (key.toLowerCase() === "f") {
    view.look("corner", some ? selected : undefined);
  } else if (key.toLowerCase() === "n") {
    nextFault(event.shiftKey ? -1 : 1);
  } else if (key.toLowerCase() === "v") {
    state.set({ seeThrough: !state.seeThrough });
  } else if (key.toLowerCase() === "i") {
    state.set({ isolated: !state.isolated && some });
  } else if (key.toLowerCase() === "r" && some) {
    void make({ kind: "rest", pieces: selected, together });
  } else if (key.toLowerCase() === "k" && some) {
    void make({ kind: "spike", pieces: selected, spiked: !state.pieces.get(selected[0]!)?.spiked });
  } else if (key.toLowerCase() === "s") {
    tool.standee();
  } else if (key.toLowerCase() === "t") {
    state.set({ ledger: !state.ledger });
  } else if (key.toLowerCase() === "y") {
    state.set({ history: !state.history });
  } else if (key.toLowerCase() === "h") {
    state.set({ held: !state.held && some });
  } else if (key.toLowerCase() === "u" && some) {
    state.select(withWhatRestsOn(selected, state.fits));
  } else if (key.toLowerCase() === "g" && selected.length > 1) {
    const first = state.pieces.get(selected[0]!);
    const grouped = selected.every((k) => first?.group && state.pieces.get(k)?.group === first.group);
    const name = grouped ? "" : `${first?.name} and ${selected.length - 1} more`;
    void make({ kind: "group", pieces: selected, name });
  } else if ((key === "Delete" || key === "Backspace") && some) {
    done();
    state.set({ held: false });
    void make({ kind: "remove", pieces: selected });
  } else if (key === "?") {
    tool.sheet();
  }
}

function nextFault(by: 1 | -1): void {
  const { fits, selected, select, set } = useStage.getState();
  const faulty = [...fits.values()].filter((f) => isFault(f.state)).map((f) => f.key);
  const now = faulty.indexOf(selected[0] ?? "");
  const next =
    faulty[now < 0 ? (by > 0 ? 0 : faulty.length - 1) : (now + by + faulty.length) % faulty.length];
  if (next) select([next]);
  else set({ note: "everything sits" });
}

async function copyBeside(view: StageView): Promise<void> {
  const { selected } = useStage.getState();
  const box = view.pieces.worldBox(selected);
  const { right } = view.floorAxes();
  const width = Math.abs(right[0]) > 0 ? box.max.x - box.min.x : box.max.z - box.min.z;
  const by = 1.06 * width;
  const change = await make({ kind: "copy", pieces: selected, by: [right[0] * by, 0, right[2] * by] });
  if (change) useStage.getState().select(change.deltas.map((d) => d.key));
}
