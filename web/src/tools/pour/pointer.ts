/** Pour: the stream follows the pointer while it is held down, and pauses when it is let go. */
import type { Triple } from "../../api/client";
import { beginPour } from "../../gravity/beginning";
import { useStage } from "../../state";
import type { At, Gesture, PointerTool, StageParts } from "../tool";

export class PourPointer implements PointerTool {
  /** The stream was begun by key, and runs until the key is pressed again. */
  private steady = false;

  constructor(private readonly stage: StageParts) {}

  hover(): void {
    this.stage.view.canvas.style.cursor = "crosshair";
  }

  leave(): void {
    this.stage.view.canvas.style.cursor = "default";
  }

  press(from: At): Gesture {
    let at = from;
    let down = true;
    const ready = useStage.getState().job ? Promise.resolve(true) : beginPour();
    void ready.then((begun) => {
      // It may have been let go, or be elsewhere, since.
      if (begun && down) this.to(at);
    });
    return {
      move: (now) => {
        at = now;
        this.to(at);
      },
      up: () => {
        down = false;
        this.pause();
      },
      cancel: () => {
        down = false;
        this.pause();
      },
    };
  }

  private to(at: At): void {
    const { job } = useStage.getState();
    if (job) this.stage.line.stream(job.key, this.point(at));
  }

  private pause(): void {
    const { job } = useStage.getState();
    if (job) this.stage.line.stream(job.key, null);
  }

  private point(at: At): Triple | null {
    const { view } = this.stage;
    return (view.aim.pickPoint(at.x, at.y) ?? view.aim.onGround(at.x, at.y))?.toArray() ?? null;
  }

  /** For those who work by keys: pour in the middle of the view, and pause when it is asked for again. */
  inTheMiddle(): void {
    void this.pourInTheMiddle();
  }

  private async pourInTheMiddle(): Promise<void> {
    const before = useStage.getState().job;
    if (before?.state === "done") return;
    if (!before && !(await beginPour())) return;
    this.steady = before ? !this.steady : true;
    const { clientWidth, clientHeight } = this.stage.view.canvas;
    if (this.steady) this.to({ x: clientWidth / 2, y: clientHeight / 2 });
    else this.pause();
  }
}
