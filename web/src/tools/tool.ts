/** What a verb is made of: a word in the list of verbs, a slip, and what the pointer does on the stage. */
import type { ComponentType } from "react";

import type { Prop } from "../api/client";
import type { LiveLine } from "../api/live";
import type { Shown } from "../stage/layers";
import type { Beside } from "../stage/beside";
import type { StageView } from "../stage/view";
import type { StageState } from "../state";
import type { Verb } from "../state/tools";

/** A place on the canvas, in CSS pixels. */
export interface At {
  x: number;
  y: number;
}

/** What a tool works with. */
export interface StageParts {
  view: StageView;
  line: LiveLine;
  /** What is shown beside the pointer. */
  beside: Beside;
}

/** What a press has begun. It hears of the pointer until it is let go, and then of nothing more: `up` commits, `cancel` leaves
 * everything as it was before the press. */
export interface Gesture {
  move: (at: At, event: PointerEvent) => void;
  up: (at: At, event: PointerEvent) => void;
  cancel: () => void;
  /** The wheel while pressed. */
  wheel?: (event: WheelEvent) => void;
  /** A key while pressed. "taken": nobody else hears it; "done": the gesture is over, too. */
  key?: (event: KeyboardEvent) => "taken" | "done" | null;
  /** The gesture goes over into another one, as a press into a drag; null: it is over; undefined: it goes on. */
  next?: () => Gesture | null | undefined;
}

/** What the pointer does while a verb is in hand. */
export interface PointerTool {
  hover: (at: At) => void;
  press: (at: At, event: PointerEvent) => Gesture | null;
  /** The pointer left the stage, or another verb is taken in hand. */
  leave: () => void;
  /** The slip or the set changed under a pointer that stays where it is. */
  again?: (at: At) => void;
  /** Enter, for those who work by keys: what a press would do, in the middle of the view. */
  inTheMiddle?: () => void;
}

/** A command that belongs to one verb. */
export interface ToolCommand {
  id: string;
  words: string;
  keys: string[];
  shown: string;
  lacking: () => string | null;
  run: () => void;
  repeats?: boolean;
}

export type Group = "one by one" | "many" | "the set";

export interface Tool {
  verb: Verb;
  /** The key that takes it in hand. */
  key: string;
  /** Where it stands in the list of verbs; null: it is only reached by its key, the finder and the look dial. */
  group: Group | null;
  /** `middle`: the point in the middle of the view; `enter`: what Enter does. */
  Slip: ComponentType<{ middle: () => [number, number, number]; enter: () => void }>;
  pointer: (stage: StageParts) => PointerTool;
  /** Enter, where it is not what a press in the middle of the view would do. */
  enter?: () => void;
  /** Whether its own pointer works just now; else one looks over. Usual is that it does. */
  works?: () => boolean;
  /** Whether its own pointer works while a job is under way or looked at. Usual is that it does not. */
  worksInJobs?: () => boolean;
  /** Whether the puck lies under what is selected while it is in hand. Usual is that it does not. */
  puck?: () => boolean;
  /** A prop was chosen in the trolley or the finder. Usual is that it is set down next. */
  onPropChosen?: (prop: Prop) => void;
  /** Whether a prop is among those that it works with. */
  takes?: (prop: string, state: StageState) => boolean;
  /** What it shows on the stage while it is in hand, beside what its pointer shows. */
  marks?: (view: StageView) => Partial<Shown>;
  /** Esc: puts away what it has in hand; false where that is nothing. */
  backOut?: () => boolean;
  /** What the keys that turn do instead; false where they turn what is selected, as ever. */
  turn?: (left: boolean) => boolean;
  commands?: ToolCommand[];
}

const DRAG_START_PX = 6;

export function far(from: At, to: At): boolean {
  return Math.hypot(to.x - from.x, to.y - from.y) > DRAG_START_PX;
}

export interface Rectangle {
  x: number;
  y: number;
  width: number;
  height: number;
}

export function rectangle(a: At, b: At): Rectangle {
  return {
    x: Math.min(a.x, b.x),
    y: Math.min(a.y, b.y),
    width: Math.abs(a.x - b.x),
    height: Math.abs(a.y - b.y),
  };
}
