/** The pointer on the stage, as a small state machine: idle, pointing, pressed (aiming), or dragging a piece. */
import type { Triple } from "../api/client";
import type { LiveLine, Pointed, Question, SlipSettings } from "../api/live";
import { inWords } from "../fit/units";
import { make } from "./making";
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
  | { kind: "pressing piece"; down: At; key: string }
  | { kind: "dragging"; key: string; answer: Pointed | null };

export class StagePointer {
  private doing: Doing = { kind: "idle" };
  private turn = Math.random() * 2 * Math.PI;
  private last: At | null = null;
  private answer: Pointed | null = null;
  private asked = 0;
  /** The pointer has not moved since a piece was left under it: no ghost may cover what was just done. */
  private justLeft = false;
  private readonly off: (() => void)[] = [];

  constructor(
    private readonly view: StageView,
    private readonly line: LiveLine,
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
    const turn = slip.turn === null ? this.turn : (slip.turn * Math.PI) / 180;
    const { side, lean, follow, sink, standOff: stand_off } = slip;
    return { side, lean, follow, turn, size, sink, stand_off, aim };
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
    if (doing.kind === "pressed") {
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
        this.doing = { kind: "dragging", key: doing.key, answer: null };
        useStage.getState().select([doing.key]);
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
    const key = this.view.pick(at.x, at.y)?.key ?? null;
    const piece = key ? useStage.getState().pieces.get(key) : undefined;
    useStage.getState().point(piece?.role === "prop" ? key : null);
    this.view.canvas.style.cursor = piece?.role === "prop" ? "pointer" : "default";
  }

  private async point(ray: Question["ray"], size: number, aim: Triple | null): Promise<void> {
    const prop = this.placing();
    if (!prop) return;
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
    const key = this.view.pick(at.x, at.y)?.key;
    const piece = key ? useStage.getState().pieces.get(key) : undefined;
    const { selected, select } = useStage.getState();
    if (!key || piece?.role !== "prop") {
      if (!event.shiftKey) select([]);
      return;
    }
    if (event.shiftKey)
      select(selected.includes(key) ? selected.filter((k) => k !== key) : [...selected, key]);
    else if (!selected.includes(key)) select([key]);
    this.doing = { kind: "pressing piece", down: at, key };
  }

  private async up(event: PointerEvent): Promise<void> {
    if (event.button !== 0) return;
    const doing = this.doing;
    this.doing = { kind: "idle" };
    if (doing.kind === "pressed") await this.leaveIt(doing.ray, doing.size, doing.aim);
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
          key: doing.key,
          pose: answer.pose,
          direction: answer.direction,
          reseat: false,
        });
      this.view.pieces.override(doing.key, null);
      useStage.getState().set({ note: null });
    }
  }

  /** Set the prop down where it was pressed, exactly as the server seats it. */
  private async leaveIt(ray: Question["ray"], size: number, aim: Triple | null): Promise<void> {
    const prop = this.placing();
    if (!prop) return;
    const slip = this.settings(size, aim);
    this.asked += 1;
    const answer = await this.line.ask({ ray, prop, slip });
    if (!answer?.pose) {
      useStage.getState().set({ note: "nothing is under the pointer to set it down on" });
      return;
    }
    this.turn = Math.random() * 2 * Math.PI;
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
    if (this.doing.kind === "dragging") this.view.pieces.override(this.doing.key, null);
    this.doing = { kind: "idle" };
    this.asked += 1;
    this.view.hideGhost();
    useStage.getState().set({ note: null });
  }

  private leave(): void {
    if (this.doing.kind !== "idle") return;
    this.last = null;
    this.asked += 1;
    this.view.hideGhost();
    useStage.getState().point(null);
    useStage.getState().set({ note: null });
  }
}
