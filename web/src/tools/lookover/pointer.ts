/** Look over: press on a piece to select it, drag it along what it touches, take hold of the puck, sweep over several. */
import { toast } from "sonner";

import type { Pointed, Question } from "../../api/live";
import { inWords } from "../../fit/units";
import { LimbPull } from "./pulling";
import type { Layer } from "../../stage/layers";
import { make } from "../../stage/making";
import { useStage } from "../../state";
import { withGroup } from "../../state/families";
import { loadOf, movable } from "../../state/mover";
import { sweeping } from "../sweeping";
import { type At, type Gesture, type PointerTool, type StageParts, far } from "../tool";
import { PuckDrag } from "./PuckDrag";

const PART_WORDS = { face: "slide", rim: "turn", post: "raise, sink", corner: "size" };

export class LookOverPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(at: At): void {
    const { view, beside } = this.stage;
    const part = view.aim.puckPart(at.x, at.y);
    view.lightPuck(part);
    beside.figures(at, part ? PART_WORDS[part] : "");
    if (part) {
      view.canvas.style.cursor = "grab";
      useStage.getState().point(null);
      return;
    }
    const key = this.meant(at)?.key ?? null;
    const chosen = key !== null && canBeChosen(key) ? key : null;
    useStage.getState().point(chosen);
    view.canvas.style.cursor = chosen ? "pointer" : "default";
  }

  leave(): void {
    this.stage.view.lightPuck(null);
    this.stage.view.canvas.style.cursor = "default";
  }

  /** Set down what is selected where it is. */
  inTheMiddle(): void {
    const { selected, together } = useStage.getState();
    if (selected.length) void make({ kind: "reseat", pieces: selected, together });
  }

  press(at: At, event: PointerEvent): Gesture {
    const { view } = this.stage;
    const { selected, select, pieces, opened, held, set } = useStage.getState();
    const hit = this.meant(at);
    const copies = event.ctrlKey || event.metaKey;
    // A limb in front of the puck is what is meant while limbs are pulled.
    if (hit && useStage.getState().pulling && selected.length === 1 && selected[0] === hit.key)
      return new LimbPull(hit.key, at, hit.point, this.stage);
    const part = view.aim.puckPart(at.x, at.y);
    if (part && selected.length)
      return new PuckGesture(
        new PuckDrag(part, movable(selected), at, this.stage, copies && part === "face"),
        this.stage,
      );
    const key = hit?.key;
    if (!key || !canBeChosen(key)) return selecting(this.stage, at, event.shiftKey, key);
    const together = withGroup(key, pieces, opened);
    const before = selected.includes(key);
    if (event.shiftKey)
      select(
        before ? selected.filter((k) => !together.includes(k)) : [...new Set([...selected, ...together])],
      );
    else if (!before) select(together);
    if (held && !before) set({ note: "the selection is held; press H to let it go" });
    return this.pressing(at, key, before && !event.shiftKey, copies);
  }

  /** What lies under the pointer: with bearers in hand the nearest of them, whatever stands before it. */
  private meant(at: At): ReturnType<typeof this.stage.view.aim.pick> {
    const { bearersInHand, pieces } = useStage.getState();
    const bearers = bearersInHand ? (key: string) => pieces.get(key)?.role === "bearer" : undefined;
    return this.stage.view.aim.pick(at.x, at.y, bearers);
  }

  /** A press on a piece: let go, it is selected; dragged, it moves, or `copies` of it. `opens`: it was selected before. */
  private pressing(from: At, key: string, opens: boolean, copies: boolean): Gesture {
    let after: Gesture | null | undefined;
    return {
      move: (at) => {
        if (far(from, at)) after = this.dragging(from, key, copies);
      },
      next: () => after,
      up: () => opens && this.openGroup(key),
      cancel: () => undefined,
    };
  }

  /** The drag that a press goes over into; null where the piece stays. */
  private dragging(from: At, key: string, copies: boolean): Gesture | null {
    const { pieces, selected, select, set } = useStage.getState();
    const piece = pieces.get(key);
    if (!piece) return null;
    if (copies) {
      const keys = selected.includes(key) ? selected : [key];
      return new PuckGesture(new PuckDrag("face", keys, from, this.stage, true), this.stage);
    }
    if (piece.spiked) {
      set({ note: `${piece.name} is spiked; free it first` });
      return null;
    }
    if (isRelated(key) || piece.role === "bearer" || (selected.includes(key) && selected.length > 1)) {
      if (!selected.includes(key)) select([key]);
      // One of several is taken hold of: they all go, as with the puck.
      const keys = movable(useStage.getState().selected);
      return new PuckGesture(new PuckDrag("face", keys, from, this.stage), this.stage);
    }
    select([key]);
    return new PieceDrag(key, this.stage);
  }

  /** A second press on one of several picks just that one, or opens its group. */
  private openGroup(key: string): void {
    const { pieces, selected, select, set, opened } = useStage.getState();
    const group = pieces.get(key)?.group;
    if (group && group !== opened) set({ opened: group });
    if (selected.length > 1) select([key]);
  }
}

/** Selects what lies in a rectangle; a mere press on nothing selects nothing. */
function selecting({ view, beside }: StageParts, from: At, more: boolean, bearer?: string): Gesture {
  return sweeping(beside, from, (_at, box) => {
    const { pieces, selected, select, set, opened } = useStage.getState();
    if (!box) {
      const pressed = pieces.get(bearer ?? "");
      if (pressed)
        set({ note: `${pressed.name} carries ${loadOf(pressed.key).length}; hold B to choose it` });
      if (more) return;
      select([]);
      set({ opened: null });
      return;
    }
    const loose = [...pieces.values()].filter((p) => p.role === "prop").map((p) => p.key);
    const inside = view.aim.within(loose, box.x, box.y, box.x + box.width, box.y + box.height);
    const found = inside.flatMap((k) => withGroup(k, pieces, opened));
    select([...new Set(more ? [...selected, ...found] : found)]);
  });
}

/** The puck in hand; figures can be typed meanwhile. */
class PuckGesture implements Gesture {
  private at: At = { x: 0, y: 0 };

  constructor(
    private readonly drag: PuckDrag,
    private readonly stage: StageParts,
  ) {}

  private over = false;

  private showFigures(words: string): void {
    if (!this.over) this.stage.beside.figures(this.at, words);
  }

  move(at: At, event: PointerEvent): void {
    this.at = at;
    void this.drag.to(at.x, at.y, event.altKey).then((f) => this.showFigures(f.words));
  }

  up(): void {
    this.over = true;
    void this.drag.leave();
  }

  cancel(): void {
    this.over = true;
    this.drag.cancel();
  }

  /** Figures typed count instead of the pointer; Enter makes them. */
  key(event: KeyboardEvent): "taken" | "done" | null {
    if (event.key === "Enter" || event.key === "Escape") {
      this.stage.beside.nothing();
      if (event.key === "Enter") this.up();
      else this.cancel();
      return "done";
    }
    if (!this.drag.type(event.key)) return null;
    void this.drag.again().then((f) => this.showFigures(f.words));
    return "taken";
  }
}

/** One piece dragged: it sits where the pointer is, all the way. */
class PieceDrag implements Gesture {
  private answer: Pointed | null = null;
  private readonly layer: Layer;

  constructor(
    private readonly piece: string,
    private readonly stage: StageParts,
  ) {
    this.layer = stage.view.layers.open("drag", { holds: new Set([piece]) });
    stage.view.puck.hide();
  }

  private question(at: At): Question {
    const standing = useStage.getState().pieces.get(this.piece);
    const slip = { turn: 0, sink: standing?.sink ?? 0, stand_off: standing?.stand_off ?? 0 };
    return { ray: this.stage.view.aim.ray(at.x, at.y), piece: this.piece, slip };
  }

  move(at: At): void {
    if (!useStage.getState().pieces.has(this.piece)) return this.cancel();
    void this.layer.latest(this.stage.line.ask(this.question(at))).then((answer) => {
      if (!answer) return;
      this.answer = answer;
      void this.layer.show({ poses: new Map([[this.piece, answer.pose]]) });
      const clash = answer.clashes[0];
      const on = useStage.getState().pieces.get(answer.on)?.name;
      useStage
        .getState()
        .set({ note: clash ? `${inWords(clash.depth)} into ${clash.name}` : `touches ${on} at 0.0 mm` });
    });
  }

  up(at: At): void {
    this.layer.overtake();
    void this.leave(at).finally(() => this.layer.close());
  }

  private async leave(at: At): Promise<void> {
    const { line } = this.stage;
    // The last answer may be one move behind; ask once more where the pointer was let go.
    const asked = await line.askForPress(this.question(at));
    const away = useStage.getState().line !== "joined";
    const answer = asked ?? (away ? null : this.answer);
    if (away) toast.error("The server is away, and nothing was moved.");
    if (answer && useStage.getState().pieces.has(this.piece))
      await make({
        kind: "place",
        piece: this.piece,
        pose: answer.pose,
        direction: answer.direction,
        reseat: false,
      });
    useStage.getState().set({ note: null });
  }

  cancel(): void {
    this.layer.close();
  }
}

/** Whether others go along with a piece, ties hold it or a wall is cut for it: what it would do is asked for as a move. */
function isRelated(key: string): boolean {
  const { ties, cutOuts } = useStage.getState();
  return (
    [...ties.values()].some((tie) => tie.piece === key || tie.to === key) ||
    [...cutOuts.values()].some((cut) => cut.piece === key)
  );
}

/** Whether a press chooses a piece: a bearer only while bearers are in hand, so that it is never dragged by accident. */
function canBeChosen(key: string): boolean {
  const { pieces, bearersInHand } = useStage.getState();
  return bearersInHand || pieces.get(key)?.role === "prop";
}
