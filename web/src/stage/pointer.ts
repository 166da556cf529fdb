/** The pointer on the stage, as a small state machine: idle, pointing, pressed (aiming), dragging a piece or the puck,
 * sweeping over several, measuring. */
import type * as THREE from "three";

import type { Triple } from "../api/client";
import { chance } from "../chance";
import type { LiveLine, Pointed, Question, SlipSettings } from "../api/live";
import { inWords } from "../fit/units";
import { beginPour } from "./gravity";
import { buildAt, make } from "./making";
import { PuckDrag } from "./puckDrag";
import { withGroup } from "./selecting";
import { useStage } from "./store";
import type { StageView } from "./view";

const DRAG_START_PX = 6;
const SIZE_STEP = 1.05;

interface At {
  x: number;
  y: number;
}

type Doing =
  | { kind: "idle" }
  | { kind: "pressed"; down: At; ray: Question["ray"]; aim: Triple | null; size: number }
  | { kind: "pressing piece"; down: At; key: string; opens: boolean }
  | { kind: "dragging"; key: string; answer: Pointed | null }
  | { kind: "puck"; drag: PuckDrag }
  | { kind: "sweeping"; down: At; moved: boolean; more: boolean }
  | { kind: "measuring"; from: THREE.Vector3 }
  | { kind: "pouring" }
  | { kind: "shoving"; keys: string[]; at: THREE.Vector3; grip: THREE.Vector3 };

/** What the pointer shows on the page: figures beside it, and the rectangle it sweeps. */
export interface Shown {
  figures: { x: number; y: number; words: string } | null;
  sweep: { x: number; y: number; width: number; height: number } | null;
}

export class StagePointer {
  private doing: Doing = { kind: "idle" };
  /** The stream was begun by key, and runs until the key is pressed again. */
  private steady = false;
  private turn = chance() * 2 * Math.PI;
  private proportions: Triple = [1, 1, 1];
  private last: At | null = null;
  private answer: Pointed | null = null;
  private asked = 0;
  /** How many presses wait for the server's answer, and the end of the last of them. */
  private leavings = 0;
  private leaving: Promise<void> = Promise.resolve();
  /** The pointer has not moved since a piece was left under it: no ghost may cover what was just done. */
  private justLeft = false;
  private readonly off: (() => void)[] = [];

  constructor(
    private readonly view: StageView,
    private readonly line: LiveLine,
    private readonly shown: (shown: Shown) => void,
  ) {
    const canvas = view.canvas;
    const on = <K extends keyof HTMLElementEventMap>(
      type: K,
      run: (event: HTMLElementEventMap[K]) => void,
    ) => {
      const options = { passive: false, capture: type === "wheel" };
      canvas.addEventListener(type, run, options);
      this.off.push(() => canvas.removeEventListener(type, run, options));
    };
    on("pointermove", (e) => this.move(e));
    on("pointerdown", (e) => this.down(e));
    on("pointerup", (e) => void this.up(e));
    on("pointercancel", () => this.cancel());
    on("pointerleave", () => this.leave());
    on("wheel", (e) => this.wheel(e));
    on("contextmenu", (e) => e.preventDefault());
    const typed = (e: KeyboardEvent) => this.typed(e);
    window.addEventListener("keydown", typed, { capture: true });
    this.off.push(() => window.removeEventListener("keydown", typed, { capture: true }));
  }

  /** Figures typed while the puck is dragged count instead of the pointer; Enter makes them. */
  private typed(event: KeyboardEvent): void {
    const doing = this.doing;
    if (doing.kind !== "puck" || event.ctrlKey || event.metaKey) return;
    if (event.key === "Enter") {
      this.doing = { kind: "idle" };
      this.shown({ figures: null, sweep: null });
      void doing.drag.leave();
    } else if (event.key === "Escape") this.cancel();
    else if (doing.drag.type(event.key))
      void doing.drag.again().then((f) => this.tell(this.last ?? { x: 0, y: 0 }, f.words));
    else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }

  private tell(at: At, words: string): void {
    this.shown({ figures: words ? { ...at, words } : null, sweep: null });
  }

  dispose(): void {
    this.off.forEach((run) => run());
  }

  private at(event: MouseEvent): At {
    const box = this.view.canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  private settings(size: number, aim: Triple | null): SlipSettings {
    const { slip } = useStage.getState();
    const turn =
      (slip.turn === null ? this.turn : (slip.turn * Math.PI) / 180) + (slip.front * Math.PI) / 180;
    const { side, lean, follow, sink, standOff: stand_off } = slip;
    const each: Triple = [size * this.proportions[0], size * this.proportions[1], size * this.proportions[2]];
    return { side, lean, follow, turn, size: slip.vary ? each : size, sink, stand_off, aim };
  }

  /** What the next copy takes from chance: its turn, and a little of its size and proportions. */
  private vary(): void {
    const { next, vary } = useStage.getState().slip;
    if (next === "varied") this.turn = chance() * 2 * Math.PI;
    const around = () => 1 + vary * (2 * chance() - 1);
    const whole = around();
    this.proportions = [whole * (1 + (around() - 1) / 2), whole, whole * (1 + (around() - 1) / 2)];
  }

  private placing(): string | null {
    const { verb, slip } = useStage.getState();
    return verb === "set down" ? slip.prop : null;
  }

  private move(event: PointerEvent): void {
    const at = this.at(event);
    this.last = at;
    this.justLeft = false;
    const doing = this.doing;
    if (doing.kind === "shoving") {
      this.shove(doing, at);
    } else if (doing.kind === "pouring") {
      this.line.pour(this.pourPoint(at));
    } else if (doing.kind === "puck") {
      void doing.drag
        .to(at.x, at.y, event.altKey)
        .then((f) => this.doing === doing && this.tell(at, f.words));
    } else if (doing.kind === "sweeping") {
      doing.moved = doing.moved || Math.hypot(at.x - doing.down.x, at.y - doing.down.y) > DRAG_START_PX;
      if (doing.moved) this.shown({ figures: null, sweep: rectangle(doing.down, at) });
    } else if (doing.kind === "measuring") {
      this.stretch(doing.from, at);
    } else if (doing.kind === "pressed") {
      const far = Math.hypot(at.x - doing.down.x, at.y - doing.down.y) > DRAG_START_PX;
      if (far && this.answer) doing.aim = this.view.onPlane(at.x, at.y, this.answer.touch, [0, 1, 0]);
      void this.point(doing.ray, doing.size, doing.aim);
    } else if (doing.kind === "pressing piece") {
      const piece = useStage.getState().pieces.get(doing.key);
      const far = Math.hypot(at.x - doing.down.x, at.y - doing.down.y) > DRAG_START_PX;
      if (far && piece?.role === "prop") {
        if (piece.spiked) {
          useStage.getState().set({ note: `${piece.name} is spiked; free it first` });
          this.doing = { kind: "idle" };
          return;
        }
        const { selected } = useStage.getState();
        const others = selected.filter((k) => k !== doing.key);
        if (selected.includes(doing.key) && others.length) {
          // One of several is taken hold of: they all go, as with the puck.
          const drag = new PuckDrag("face", selected, doing.down.x, doing.down.y, this.view, this.line);
          this.doing = { kind: "puck", drag };
          return;
        }
        this.doing = { kind: "dragging", key: doing.key, answer: null };
        useStage.getState().select([doing.key]);
        this.line.hold([doing.key]);
        this.view.puck.hide();
        void this.drag(at);
      }
    } else if (doing.kind === "dragging") {
      void this.drag(at);
    } else if (event.buttons === 0) {
      if (this.placing()) void this.point(this.view.ray(at.x, at.y), useStage.getState().slip.size, null);
      else this.hover(at);
    }
  }

  /** Ask again where the pointer is now: the slip or the set changed under it. */
  again(): void {
    if (this.last && !this.justLeft && this.doing.kind === "idle" && this.placing())
      void this.point(this.view.ray(this.last.x, this.last.y), useStage.getState().slip.size, null);
    else if (!this.placing()) this.view.hideGhost();
  }

  private hover(at: At): void {
    const { verb } = useStage.getState();
    const part = verb === "measure" || verb === "build" ? null : this.view.puckPart(at.x, at.y);
    this.view.lightPuck(part);
    if (part) {
      const words = { face: "slide", rim: "turn", post: "raise, sink", corner: "size" }[part];
      this.tell(at, words);
      this.view.canvas.style.cursor = "grab";
      useStage.getState().point(null);
      return;
    }
    this.tell(at, "");
    if (verb === "measure" || verb === "build" || verb === "pour") {
      this.view.canvas.style.cursor = "crosshair";
      return;
    }
    const key = this.view.pick(at.x, at.y)?.key ?? null;
    const piece = key ? useStage.getState().pieces.get(key) : undefined;
    useStage.getState().point(piece?.role === "prop" ? key : null);
    this.view.canvas.style.cursor = piece?.role === "prop" ? "pointer" : "default";
  }

  private async point(ray: Question["ray"], size: number, aim: Triple | null): Promise<void> {
    const prop = this.placing();
    if (!prop || this.leavings > 0) return;
    const turn = ++this.asked;
    const answer = await this.line.ask({ ray, prop, slip: this.settings(size, aim) });
    if (turn !== this.asked || !this.placing()) return;
    this.answer = answer;
    const file = useStage.getState().props.get(prop)?.file;
    if (!answer || !file) {
      this.view.hideGhost();
      useStage.getState().set({ note: null });
      return;
    }
    await this.showGhost(file, answer);
  }

  private async showGhost(file: string, answer: Pointed): Promise<void> {
    const clash = answer.clashes[0];
    const words = answer.problem ?? (clash ? `${inWords(clash.depth)} into ${clash.name}` : null);
    await this.view.showGhost(
      file,
      answer.pose!,
      clash !== undefined || answer.problem !== null,
      words,
      answer.touch,
    );
    const on = useStage.getState().pieces.get(answer.on)?.name;
    useStage.getState().set({ note: words ?? `touches ${on} at 0.0 mm` });
  }

  private async drag(at: At): Promise<void> {
    const doing = this.doing;
    if (doing.kind !== "dragging") return;
    const piece = useStage.getState().pieces.get(doing.key);
    if (!piece) return this.cancel();
    const slip = { ...this.settings(1, null), sink: piece.sink, stand_off: piece.stand_off };
    const answer = await this.line.ask({ ray: this.view.ray(at.x, at.y), piece: doing.key, slip });
    if (this.doing !== doing || !answer) return;
    doing.answer = answer;
    this.view.pieces.override(doing.key, answer.pose);
    const clash = answer.clashes[0];
    const on = useStage.getState().pieces.get(answer.on)?.name;
    useStage
      .getState()
      .set({ note: clash ? `${inWords(clash.depth)} into ${clash.name}` : `touches ${on} at 0.0 mm` });
  }

  private down(event: PointerEvent): void {
    if (event.button !== 0) return;
    this.view.canvas.focus({ preventScroll: true });
    this.view.canvas.setPointerCapture(event.pointerId);
    const at = this.at(event);
    this.last = at;
    if (this.placing()) {
      const ray = this.view.ray(at.x, at.y);
      const size = useStage.getState().slip.size;
      this.doing = { kind: "pressed", down: at, ray, aim: null, size };
      void this.point(ray, size, null);
      return;
    }
    const { verb, selected, select, pieces, opened, held } = useStage.getState();
    const { job } = useStage.getState();
    if (verb === "pour" && job?.state !== "done") {
      void this.pour(at);
      return;
    }
    if (job?.state === "running") {
      this.grab(at);
      return;
    }
    if (job) {
      this.doing = { kind: "sweeping", down: at, moved: false, more: event.shiftKey };
      return;
    }
    if (verb === "measure") {
      const from = this.view.pickPoint(at.x, at.y);
      if (from) this.doing = { kind: "measuring", from };
      return;
    }
    if (verb === "build") {
      const point = this.view.pickPoint(at.x, at.y) ?? this.view.onGround(at.x, at.y);
      if (point) void buildAt(point.toArray());
      return;
    }
    const part = this.view.puckPart(at.x, at.y);
    if (part && selected.length) {
      this.doing = {
        kind: "puck",
        drag: new PuckDrag(part, movable(selected), at.x, at.y, this.view, this.line),
      };
      return;
    }
    const key = this.view.pick(at.x, at.y)?.key;
    const piece = key ? pieces.get(key) : undefined;
    if (!key || piece?.role !== "prop") {
      this.doing = { kind: "sweeping", down: at, moved: false, more: event.shiftKey };
      return;
    }
    const together = withGroup(key, pieces, opened);
    const before = selected.includes(key);
    if (event.shiftKey)
      select(
        before ? selected.filter((k) => !together.includes(k)) : [...new Set([...selected, ...together])],
      );
    else if (!before) select(together);
    if (held && !before) useStage.getState().set({ note: "the selection is held; press H to let it go" });
    this.doing = { kind: "pressing piece", down: at, key, opens: before && !event.shiftKey };
  }

  /** Take hold of a piece that gravity acts on; when it is one of those selected, of all of them. */
  private grab(at: At): void {
    const { job, settle, selected } = useStage.getState();
    const hit = job?.state === "running" && settle.hand !== "no" ? this.view.pick(at.x, at.y) : null;
    const frame = hit && job?.keys?.includes(hit.key) ? this.view.pieces.frame(hit.key) : null;
    if (!hit || !frame) return;
    const others = selected.includes(hit.key)
      ? selected.filter((k) => k !== hit.key && job?.keys?.includes(k))
      : [];
    const [x, y, z] = frame.matrix.elements.slice(12, 15) as [number, number, number];
    const grip = hit.point.clone();
    grip.set(x, y, z).sub(hit.point);
    this.doing = { kind: "shoving", keys: [hit.key, ...others], at: hit.point, grip };
    this.view.canvas.style.cursor = "grabbing";
  }

  private shove(doing: Extract<Doing, { kind: "shoving" }>, at: At): void {
    const away = this.view.camera.position.clone().sub(this.view.controls.target).normalize();
    const to = this.view.onPlane(at.x, at.y, doing.at.toArray(), away.toArray());
    if (!to) return;
    const { settle } = useStage.getState();
    const wanted: Triple = [to[0] + doing.grip.x, to[1] + doing.grip.y, to[2] + doing.grip.z];
    this.line.shove(doing.keys, wanted, settle.hand === "soft" ? "soft" : "firm");
  }

  /** The stream to where the pointer is pressed; begun first when none runs. */
  private async pour(at: At): Promise<void> {
    this.doing = { kind: "pouring" };
    if (useStage.getState().job) {
      this.line.pour(this.pourPoint(at));
      return;
    }
    if (!(await beginPour())) return;
    // It may have been let go, or be elsewhere, since.
    if (this.doing.kind === "pouring") this.line.pour(this.pourPoint(this.last ?? at));
  }

  private pourPoint(at: At): Triple | null {
    return (this.view.pickPoint(at.x, at.y) ?? this.view.onGround(at.x, at.y))?.toArray() ?? null;
  }

  /** For those who work by keys: pour in the middle of the view, and pause when it is asked for again. */
  async pourInTheMiddle(): Promise<void> {
    const { job } = useStage.getState();
    if (job?.state === "done") return;
    if (!job && !(await beginPour())) return;
    this.steady = job ? !this.steady : true;
    const { clientWidth, clientHeight } = this.view.canvas;
    this.line.pour(this.steady ? this.pourPoint({ x: clientWidth / 2, y: clientHeight / 2 }) : null);
  }

  private letGo(): void {
    this.line.shove([], null, "firm");
    this.view.canvas.style.cursor = "default";
  }

  private stretch(from: THREE.Vector3, at: At): void {
    const to = this.view.pickPoint(at.x, at.y);
    if (!to) return;
    const by = to.clone().sub(from);
    const words = `${inWords(by.length())}: ${inWords(Math.abs(by.x))} across, ${inWords(Math.abs(by.y))} up, ${inWords(Math.abs(by.z))} along`;
    this.view.measure(from, to, inWords(by.length()));
    useStage.getState().set({ note: words });
  }

  private async up(event: PointerEvent): Promise<void> {
    if (event.button !== 0) return;
    const doing = this.doing;
    this.doing = { kind: "idle" };
    this.shown({ figures: null, sweep: null });
    if (doing.kind === "shoving") this.letGo();
    if (doing.kind === "pouring") this.line.pour(null);
    if (doing.kind === "pressed") await this.leaveIt(doing.ray, doing.size, doing.aim);
    if (doing.kind === "puck") await doing.drag.leave();
    if (doing.kind === "sweeping") this.swept(doing.down, this.at(event), doing.moved, doing.more);
    if (doing.kind === "pressing piece" && doing.opens) {
      // A second press on one of several picks just that one, or opens its group.
      const { pieces, selected, select, set, opened } = useStage.getState();
      const group = pieces.get(doing.key)?.group;
      if (group && group !== opened) set({ opened: group });
      if (selected.length > 1) select([doing.key]);
    }
    if (doing.kind === "dragging") {
      // The last answer may be one move behind; ask once more where the pointer was let go.
      const at = this.at(event);
      const piece = useStage.getState().pieces.get(doing.key);
      const slip = { ...this.settings(1, null), sink: piece?.sink ?? 0, stand_off: piece?.stand_off ?? 0 };
      const answer =
        (await this.line.ask({ ray: this.view.ray(at.x, at.y), piece: doing.key, slip })) ?? doing.answer;
      if (answer?.pose)
        await make({
          kind: "place",
          piece: doing.key,
          pose: answer.pose,
          direction: answer.direction,
          reseat: false,
        });
      this.view.pieces.override(doing.key, null);
      this.line.hold([]);
      useStage.getState().set({ note: null });
    }
  }

  private swept(from: At, to: At, moved: boolean, more: boolean): void {
    const { pieces, selected, select, set, opened, job, trial } = useStage.getState();
    const outcome = trial === null ? undefined : job?.outcomes[trial];
    if (outcome) {
      // Of an outcome, what is to be adopted is chosen: piece by piece, or by a sweep.
      const { x, y, width, height } = rectangle(from, to);
      const hit = moved ? undefined : this.view.pick(to.x, to.y)?.key;
      const lying = outcome.poses.map((p) => p.key);
      const found = moved
        ? this.view.within(lying, x, y, x + width, y + height)
        : lying.filter((k) => k === hit);
      select(more ? [...new Set([...selected, ...found])] : found);
      return;
    }
    if (!moved) {
      if (!more) {
        select([]);
        set({ opened: null });
      }
      return;
    }
    const loose = [...pieces.values()].filter((p) => p.role === "prop").map((p) => p.key);
    const { x, y, width, height } = rectangle(from, to);
    const inside = this.view.within(loose, x, y, x + width, y + height);
    const found = inside.flatMap((k) => withGroup(k, pieces, opened));
    select([...new Set(more ? [...selected, ...found] : found)]);
  }

  /** Set the prop down where it was pressed, exactly as the server seats it. */
  private async leaveIt(ray: Question["ray"], size: number, aim: Triple | null): Promise<void> {
    const prop = this.placing();
    if (!prop) return;
    const slip = this.settings(size, aim);
    this.asked += 1;
    this.leavings += 1;
    // One after another, and no question of the ghost in between: a newer question would overtake a press, and lose it.
    const turn = this.leaving.then(() => this.line.ask({ ray, prop, slip }));
    this.leaving = turn.then(() => void (this.leavings -= 1));
    const answer = await turn;
    if (!answer?.pose) {
      useStage.getState().set({ note: "nothing is under the pointer to set it down on" });
      return;
    }
    this.vary();
    this.justLeft = true;
    this.view.hideGhost();
    useStage.getState().set({ note: null });
    const change = await make({
      kind: "set_down",
      prop,
      pose: answer.pose,
      direction: answer.direction,
      sink: slip.sink,
      stand_off: slip.stand_off,
    });
    const made = change?.deltas[0]?.key;
    if (made) useStage.getState().select([made]);
  }

  /** For those who work by keys: set the prop down on what is in the middle of the view. */
  setDownInTheMiddle(): Promise<void> {
    const { clientWidth, clientHeight } = this.view.canvas;
    return this.leaveIt(
      this.view.ray(clientWidth / 2, clientHeight / 2),
      useStage.getState().slip.size,
      null,
    );
  }

  /** The cardboard person to where the pointer is, or away again. */
  standee(): void {
    if (this.view.hasStandee) return this.view.stand(null);
    const { clientWidth, clientHeight } = this.view.canvas;
    const at = this.last ?? { x: clientWidth / 2, y: clientHeight / 2 };
    const point = this.view.pickPoint(at.x, at.y) ?? this.view.onGround(at.x, at.y);
    if (point) this.view.stand(point.toArray());
  }

  private wheel(event: WheelEvent): void {
    if (this.doing.kind !== "pressed") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    this.doing.size = Math.min(
      20,
      Math.max(0.05, this.doing.size * (event.deltaY < 0 ? SIZE_STEP : 1 / SIZE_STEP)),
    );
    void this.point(this.doing.ray, this.doing.size, this.doing.aim);
  }

  cancel(): void {
    if (this.doing.kind === "dragging") {
      this.view.pieces.override(this.doing.key, null);
      this.line.hold([]);
    }
    if (this.doing.kind === "puck") this.doing.drag.cancel();
    if (this.doing.kind === "shoving") this.letGo();
    if (this.doing.kind === "pouring") this.line.pour(null);
    this.doing = { kind: "idle" };
    this.shown({ figures: null, sweep: null });
    this.asked += 1;
    this.view.hideGhost();
    useStage.getState().set({ note: null });
  }

  private leave(): void {
    if (this.doing.kind !== "idle") return;
    this.last = null;
    this.asked += 1;
    this.tell({ x: 0, y: 0 }, "");
    this.view.lightPuck(null);
    this.view.hideGhost();
    useStage.getState().point(null);
    useStage.getState().set({ note: null });
  }
}

function rectangle(a: At, b: At): { x: number; y: number; width: number; height: number } {
  return {
    x: Math.min(a.x, b.x),
    y: Math.min(a.y, b.y),
    width: Math.abs(a.x - b.x),
    height: Math.abs(a.y - b.y),
  };
}

/** Those of `keys` that can be moved; spiked ones stay. */
function movable(keys: string[]): string[] {
  const { pieces } = useStage.getState();
  return keys.filter((k) => pieces.get(k)?.role === "prop" && !pieces.get(k)?.spiked);
}
