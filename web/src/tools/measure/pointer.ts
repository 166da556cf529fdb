/** Measure: press on one point and drag to another; a tape is drawn between them. */
import { inWords } from "../../fit/units";
import type { Layer } from "../../stage/layers";
import { useStage } from "../../state";
import type { At, Gesture, PointerTool, StageParts } from "../tool";

export class MeasurePointer implements PointerTool {
  private readonly layer: Layer;

  constructor(private readonly stage: StageParts) {
    this.layer = stage.view.layers.open("tool");
  }

  hover(): void {
    this.stage.view.canvas.style.cursor = "crosshair";
  }

  leave(): void {
    this.stage.view.canvas.style.cursor = "default";
    // Beside the stage it can still be read.
    if (useStage.getState().verb !== "measure") this.layer.clear();
  }

  press(at: At): Gesture | null {
    const { view } = this.stage;
    const from = view.aim.pickPoint(at.x, at.y);
    if (!from) return null;
    return {
      move: (now) => {
        const to = view.aim.pickPoint(now.x, now.y);
        if (!to) return;
        const by = to.clone().sub(from);
        void this.layer.show({ tape: { from, to, text: inWords(by.length()) } });
        const parts = [
          `${inWords(Math.abs(by.x))} across`,
          `${inWords(Math.abs(by.y))} up`,
          `${inWords(Math.abs(by.z))} along`,
        ];
        useStage.getState().set({ note: `${inWords(by.length())}: ${parts.join(", ")}` });
      },
      up: () => undefined,
      cancel: () => this.layer.clear(),
    };
  }
}
