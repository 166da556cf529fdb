/** The pointer on the stage: hands what it does to the tool of the verb in hand, and to the gesture that a press has begun. */
import { GravityPointer } from "./settle/pointer";
import { useStage } from "../state";
import { IDLE, type Verb } from "../state/tools";
import { TOOLS, toolOf } from "./index";
import type { At, Gesture, PointerTool, StageParts } from "./tool";

export class StagePointer {
  private gesture: Gesture | null = null;
  private last: At | null = null;
  private readonly tools = new Map<Verb, PointerTool>();
  private readonly gravity: GravityPointer;
  private readonly off: (() => void)[] = [];

  constructor(private readonly stage: StageParts) {
    for (const tool of TOOLS) this.tools.set(tool.verb, tool.pointer(stage));
    this.gravity = new GravityPointer(stage);
    const canvas = stage.view.canvas;
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
    on("pointerup", (e) => this.up(e));
    on("pointercancel", () => this.cancel());
    on("pointerleave", () => this.leave());
    on("wheel", (e) => this.wheel(e));
    on("contextmenu", (e) => e.preventDefault());
    const typed = (e: KeyboardEvent) => this.typed(e);
    window.addEventListener("keydown", typed, { capture: true });
    this.off.push(() => window.removeEventListener("keydown", typed, { capture: true }));
    // A gesture belongs to the verb that it was begun with.
    this.off.push(
      useStage.subscribe((now, before) => {
        if (now.verb === before.verb) return;
        this.gesture?.cancel();
        this.gesture = null;
        this.tools.get(before.verb)?.leave();
      }),
    );
  }

  /** Where the pointer is now, or the middle of the stage. */
  get place(): At {
    const { clientWidth, clientHeight } = this.stage.view.canvas;
    return this.last ?? { x: clientWidth / 2, y: clientHeight / 2 };
  }

  /** What Enter does. */
  enter(): void {
    const own = toolOf(useStage.getState().verb).enter;
    if (own) own();
    else this.tool.inTheMiddle?.();
  }

  private get tool(): PointerTool {
    const { verb, job } = useStage.getState();
    const { works, worksInJobs } = toolOf(verb);
    if (job) return worksInJobs?.() ? this.tools.get(verb)! : this.gravity;
    return this.tools.get(works?.() === false ? IDLE : verb)!;
  }

  private at(event: MouseEvent): At {
    const box = this.stage.view.canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  private move(event: PointerEvent): void {
    if (!event.isPrimary) return;
    const at = this.at(event);
    this.last = at;
    if (this.gesture) {
      this.gesture.move(at, event);
      const next = this.gesture.next?.();
      if (next !== undefined) this.gesture = next;
      if (next) next.move(at, event);
    } else if (event.buttons === 0) this.tool.hover(at);
  }

  private down(event: PointerEvent): void {
    // A second finger walks round: what the first one has begun is left as it was.
    if (!event.isPrimary) return this.cancel();
    if (event.button !== 0) return;
    const { canvas } = this.stage.view;
    canvas.focus({ preventScroll: true });
    canvas.setPointerCapture(event.pointerId);
    const at = this.at(event);
    this.last = at;
    this.gesture = this.tool.press(at, event);
  }

  private up(event: PointerEvent): void {
    if (event.button !== 0 || !event.isPrimary) return;
    const { gesture } = this;
    this.gesture = null;
    this.stage.beside.nothing();
    gesture?.up(this.at(event), event);
  }

  private wheel(event: WheelEvent): void {
    if (!this.gesture?.wheel) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    this.gesture.wheel(event);
  }

  private typed(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey) return;
    const heard = this.gesture?.key?.(event);
    if (!heard) return;
    if (heard === "done") this.gesture = null;
    event.preventDefault();
    event.stopImmediatePropagation();
  }

  /** The slip or the set changed under the pointer. */
  again(): void {
    if (this.last && !this.gesture) this.tool.again?.(this.last);
    // Its own pointer may work no longer, as where a prop is put out of hand.
    const own = this.tools.get(useStage.getState().verb);
    if (this.tool !== own) own?.leave();
  }

  cancel(): void {
    this.gesture?.cancel();
    this.gesture = null;
    this.stage.beside.nothing();
    this.tool.leave();
    useStage.getState().set({ note: null });
  }

  private leave(): void {
    if (this.gesture) return;
    this.last = null;
    this.stage.beside.nothing();
    this.stage.view.lightPuck(null);
    this.tool.leave();
    useStage.getState().point(null);
    useStage.getState().set({ note: null });
  }

  dispose(): void {
    this.gesture?.cancel();
    this.off.forEach((run) => run());
  }
}
