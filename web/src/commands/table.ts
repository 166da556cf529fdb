/** Everything that can be done on the stage, in one table: keys, key sheet and finder come from here. */
import type { Triple } from "../api/client";
import { isFault } from "../fit/Glyph";
import { copyAgain, copyOf, lastStep, makeCopies } from "../stage/copying";
import { lookThroughGap, make, redo, undo } from "../stage/making";
import type { StagePointer } from "../tools/pointer";
import type { StageView } from "../stage/view";
import { useStage } from "../state";
import { withWhatRestsOn } from "../state/families";
import { IDLE } from "../state/tools";
import { TOOLS, toolOf } from "../tools";
import { BEARERS } from "./bearers";
import type { Held, HeldKeys } from "./held";

/** What commands work with. */
export interface Desk {
  view: StageView;
  pointer: StagePointer;
  held: HeldKeys;
}

export interface Command {
  id: string;
  words: string;
  /** Keys as `tinykeys` writes them. */
  keys: string[];
  /** How the keys are written for people. */
  shown: string;
  /** Why it cannot be done now; null when it can. */
  lacking?: () => string | null;
  run: (desk: Desk) => void;
  /** Its key was let go. `held`: it was held for long, or while the pointer did something. */
  letGo?: (held: boolean) => void;
  /** It is done again while its key is held. */
  repeats?: boolean;
  /** It leaves an old step that is looked at. */
  leaves?: boolean;
  /** It is not offered by the finder: it only makes sense as a key. */
  hidden?: boolean;
}

/** How large a step is: what is held besides the key says so. */
export interface Stride {
  shift: boolean;
  alt: boolean;
}

/** A key that adds up while it is held, and is made as one step. */
export interface HeldCommand {
  id: string;
  words: string;
  /** Without Shift and Alt, which change its stride. */
  key: string;
  /** Which key it is where Shift and Alt write something else with it. */
  code: string;
  shown: string;
  step: (stride: Stride, desk: Desk) => Held;
  /** What the key does instead while another verb is in hand; true where it did that. */
  instead?: () => boolean;
}

/** A tenth of the usual step where a step is free. */
const FREE = { slide: 0.001, turn: 1, raise: 0.0001, size: 0.01 };
const WHOLE_TURN = 90;

const stepOf = (kind: keyof typeof FREE): number => useStage.getState().steps[kind] || FREE[kind];
const rough = ({ shift, alt }: Stride): number => (shift ? 10 : alt ? 0.1 : 1);
const some = () => (useStage.getState().selected.length ? null : "select a piece first");
const toggle = (name: "ledger" | "history" | "keySheet" | "finder" | "seeThrough" | "tiesShown") => () => {
  const { set } = useStage.getState();
  set({ [name]: !useStage.getState()[name] });
};

type Way = "left" | "right" | "away" | "nearer";

function slid(way: Way, stride: Stride, { view }: Desk): Held {
  const { right, away } = view.floorAxes();
  const axis = way === "right" || way === "left" ? right : away;
  const by = stepOf("slide") * rough(stride) * (way === "right" || way === "away" ? 1 : -1);
  return { kind: "slide", by: axis.map((along) => along * by) as Triple };
}

const slide = (way: Way, key: string, shown: string): HeldCommand => ({
  id: `slide ${way}`,
  words: `slide what is selected ${way}, staying seated; Shift ten steps, Alt a tenth`,
  ...{ key, code: key, shown },
  step: (stride, desk) => slid(way, stride, desk),
});

const turn = (left: boolean, key: string, code: string): HeldCommand => ({
  id: left ? "turn left" : "turn right",
  words: `turn ${left ? "left" : "right"} by a step; Shift 90°, Alt 1°`,
  ...{ key, code, shown: key },
  step: ({ shift, alt }) => {
    const degrees = shift ? WHOLE_TURN : alt ? 1 : stepOf("turn");
    return { kind: "turn", degrees: left ? degrees : -degrees };
  },
  instead: () => toolOf(useStage.getState().verb).turn?.(left) ?? false,
});

const size = (larger: boolean, key: string, code: string): HeldCommand => ({
  id: larger ? "larger" : "smaller",
  words: `make ${larger ? "larger" : "smaller"} by a step`,
  ...{ key, code, shown: key },
  step: () => {
    const factor = 1 + stepOf("size");
    return { kind: "size", factor: larger ? factor : 1 / factor };
  },
});

const raise = (up: boolean, key: string, code: string): HeldCommand => ({
  id: up ? "raise" : "sink",
  words: `${up ? "raise" : "sink"} by a step; Shift ten steps`,
  ...{ key, code, shown: key },
  step: ({ shift }) => {
    const by = stepOf("raise") * (shift ? 10 : 1);
    return { kind: "raise", by: up ? by : -by };
  },
});

export const HELD: HeldCommand[] = [
  slide("left", "ArrowLeft", "←"),
  slide("right", "ArrowRight", "→"),
  slide("away", "ArrowUp", "↑"),
  slide("nearer", "ArrowDown", "↓"),
  turn(true, ",", "Comma"),
  turn(false, ".", "Period"),
  size(false, "[", "BracketLeft"),
  size(true, "]", "BracketRight"),
  raise(false, "-", "Minus"),
  raise(true, "=", "Equal"),
];

const CHOOSING: Command[] = TOOLS.map((tool) => ({
  id: tool.verb,
  words: tool.verb,
  keys: [tool.key],
  shown: tool.key.toUpperCase(),
  run: () => useStage.getState().setVerb(tool.verb),
}));

export const COMMANDS: Command[] = [
  ...CHOOSING,
  {
    id: "find a prop",
    words: "find a prop",
    keys: ["/"],
    shown: "/",
    run: () => document.getElementById("find-prop")?.focus(),
  },
  {
    id: "find anything",
    words: "find anything that can be done, a prop or a piece",
    keys: ["$mod+/"],
    shown: "Ctrl /",
    run: toggle("finder"),
    hidden: true,
  },
  {
    id: "enter",
    words: "do what the slip says (set down, or pour and pause, in the middle of the view)",
    keys: ["Enter"],
    shown: "Enter",
    run: ({ pointer }) => pointer.enter(),
  },
  {
    id: "back out",
    words: "back out",
    keys: ["Escape"],
    shown: "Esc",
    run: backOut,
    hidden: true,
    leaves: true,
  },
  ...TOOLS.flatMap((tool) => tool.commands ?? []),
  {
    id: "ties",
    words: "show the ties; again to show only those that do not hold",
    keys: ["x"],
    shown: "X",
    run: toggle("tiesShown"),
  },
  {
    id: "pull apart",
    words: "pull apart what is joined",
    keys: ["Shift+j", "Shift+J"],
    shown: "Shift J",
    lacking: some,
    run: () => void make({ kind: "pull_apart", pieces: useStage.getState().selected }),
  },
  {
    id: "what rests on it",
    words: "select what rests on it, too",
    keys: ["u"],
    shown: "U",
    lacking: some,
    run: () => {
      const { select, selected, fits } = useStage.getState();
      select(withWhatRestsOn(selected, fits));
    },
  },
  {
    id: "hold the selection",
    words: "hold the selection; again to let it go",
    keys: ["h"],
    shown: "H",
    lacking: () => (useStage.getState().held ? null : some()),
    run: () => useStage.getState().set({ held: !useStage.getState().held }),
  },
  {
    id: "group",
    words: "group what is selected; again to part it",
    keys: ["g"],
    shown: "G",
    lacking: () => (useStage.getState().selected.length > 1 ? null : "select several pieces first"),
    run: group,
  },
  {
    id: "through the gap",
    words: "look through the gap",
    keys: ["l"],
    shown: "L",
    run: ({ view }) => void lookThrough(view),
  },
  {
    id: "look at it",
    words: "look at what is selected",
    keys: ["f"],
    shown: "F",
    run: ({ view }) => {
      const { selected } = useStage.getState();
      view.look("corner", selected.length ? selected : undefined);
    },
  },
  {
    id: "see through bearers",
    words: "see through bearers",
    keys: ["v"],
    shown: "V",
    run: toggle("seeThrough"),
  },
  {
    id: "isolate",
    words: "show only what is selected and what carries it",
    keys: ["i"],
    shown: "I",
    lacking: () => (useStage.getState().isolated ? null : some()),
    run: () => useStage.getState().set({ isolated: !useStage.getState().isolated }),
  },
  {
    id: "next fault",
    words: "next piece that does not sit",
    keys: ["n"],
    shown: "N",
    run: () => nextFault(1),
    repeats: true,
  },
  {
    id: "fault before",
    words: "the one before that does not sit",
    keys: ["Shift+n"],
    shown: "Shift N",
    run: () => nextFault(-1),
    repeats: true,
  },
  {
    id: "copy",
    words: "one more copy beside it, as it stands, where there is room",
    keys: ["$mod+d"],
    shown: "Ctrl D",
    lacking: some,
    run: ({ view }) => void copyBeside(view),
  },
  {
    id: "copy again",
    words: "copy the last copy once more, by the same step",
    keys: ["$mod+Shift+d", "$mod+Shift+D"],
    shown: "Ctrl Shift D",
    lacking: () => (lastStep() ? null : "copy something first"),
    run: () => void copyAgain(),
    repeats: true,
  },
  {
    id: "bearers",
    words:
      "bearers in hand while it is held, or until it is pressed again: press one to choose it, drag it with all on it",
    keys: ["b"],
    shown: "B",
    ...BEARERS,
  },
  {
    id: "rest",
    words: "let it rest: tilt to the nearest stable stand",
    keys: ["r"],
    shown: "R",
    lacking: some,
    run: () => {
      const { selected, together } = useStage.getState();
      void make({ kind: "rest", pieces: selected, together });
    },
  },
  ...([true, false] as const).map((up): Command => ({
    id: up ? "level up" : "level down",
    words: `onto the next level ${up ? "above" : "below"}`,
    keys: [up ? "PageUp" : "PageDown"],
    shown: up ? "Page up" : "Page down",
    lacking: some,
    run: () => {
      const { selected, together } = useStage.getState();
      void make({ kind: "level", pieces: selected, up, together });
    },
  })),
  {
    id: "next side",
    words: "lay it on its next side",
    keys: ["p"],
    shown: "P",
    lacking: some,
    run: () => void make({ kind: "lie", pieces: useStage.getState().selected, side: "next" }),
  },
  {
    id: "upright",
    words: "stand it upright again",
    keys: ["Shift+p", "Shift+P"],
    shown: "Shift P",
    lacking: some,
    run: () => void make({ kind: "lie", pieces: useStage.getState().selected, side: "upright" }),
  },
  {
    id: "out of sight",
    words: "out of sight: this stage does not show it; it counts as ever",
    keys: ["o"],
    shown: "O",
    lacking: some,
    run: () => {
      const { selected, outOfSight, select, set } = useStage.getState();
      set({ held: false, outOfSight: new Set([...outOfSight, ...selected]) });
      select([]);
    },
  },
  {
    id: "all in sight",
    words: "everything in sight again",
    keys: ["Shift+o", "Shift+O"],
    shown: "Shift O",
    lacking: () => (useStage.getState().outOfSight.size ? null : "nothing is out of sight"),
    run: () => useStage.getState().set({ outOfSight: new Set() }),
  },
  {
    id: "spike",
    words: "spike or free",
    keys: ["k"],
    shown: "K",
    lacking: some,
    run: () => {
      const { selected, pieces } = useStage.getState();
      void make({ kind: "spike", pieces: selected, spiked: !pieces.get(selected[0]!)?.spiked });
    },
  },
  {
    id: "standee",
    words: "cardboard person to the pointer; again to send it away",
    keys: ["s"],
    shown: "S",
    run: ({ view, pointer }) => {
      if (view.hasStandee) return view.stand(null);
      const { x, y } = pointer.place;
      const point = view.aim.pickPoint(x, y) ?? view.aim.onGround(x, y);
      if (point) view.stand(point.toArray());
    },
  },
  {
    id: "ledger",
    words: "the ledger: every piece and its fit as a table",
    keys: ["t"],
    shown: "T",
    run: toggle("ledger"),
  },
  {
    id: "history",
    words: "the history: what was done",
    keys: ["y"],
    shown: "Y",
    run: toggle("history"),
    leaves: true,
  },
  {
    id: "take away",
    words: "take away",
    keys: ["Delete", "Backspace"],
    shown: "Delete",
    lacking: some,
    run: () => {
      const { selected, set } = useStage.getState();
      set({ held: false });
      void make({ kind: "remove", pieces: selected });
    },
  },
  {
    id: "undo",
    words: "undo",
    keys: ["$mod+z"],
    shown: "Ctrl Z",
    lacking: () => (useStage.getState().canUndo ? null : "nothing was done yet"),
    run: () => void undo(),
    repeats: true,
  },
  {
    id: "redo",
    words: "redo",
    keys: ["$mod+Shift+z", "$mod+Shift+Z"],
    shown: "Ctrl Shift Z",
    lacking: () => (useStage.getState().canRedo ? null : "nothing was undone"),
    run: () => void redo(),
    repeats: true,
  },
  { id: "keys", words: "the keys", keys: ["Shift+?", "?"], shown: "?", run: toggle("keySheet") },
];

/** What the pointer does besides, for the key sheet. */
export const BY_HAND: [string, string][] = [
  [
    "puck",
    "drag its face to slide, its rim to turn, its post to raise, its corner to size; Alt lets go of the surface; type a figure while dragging",
  ],
  ["Shift press, sweep", "select more"],
  ["right button, wheel", "walk round, come nearer; the middle button carries the view along"],
];

function backOut({ pointer }: Desk): void {
  const state = useStage.getState();
  pointer.cancel();
  if (state.preview) state.set({ preview: null });
  else if (state.swapping) state.set({ swapping: false, note: null });
  else if (state.bearersInHand) state.set({ bearersInHand: false });
  else if (state.held) state.set({ held: false });
  else if (state.isolated) state.set({ isolated: false });
  else if (toolOf(state.verb).backOut?.()) return;
  else if (state.selected.length) state.select([]);
  else state.setVerb(IDLE);
}

function group(): void {
  const { selected, pieces } = useStage.getState();
  const first = pieces.get(selected[0]!);
  const grouped = selected.every((k) => first?.group && pieces.get(k)?.group === first.group);
  const name = grouped ? "" : `${first?.name} and ${selected.length - 1} more`;
  void make({ kind: "group", pieces: selected, name });
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
  await makeCopies(copyOf(selected, [right[0] * by, 0, right[2] * by], true));
}
