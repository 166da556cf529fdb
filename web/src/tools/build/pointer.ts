/** Build: a press stands the bearer of the slip there. */
import { buildAt } from "../../stage/making";
import type { At, PointerTool, StageParts } from "../tool";

export class BuildPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(): void {
    this.stage.view.canvas.style.cursor = "crosshair";
  }

  leave(): void {
    this.stage.view.canvas.style.cursor = "default";
  }

  press(at: At): null {
    const { view } = this.stage;
    const point = view.aim.pickPoint(at.x, at.y) ?? view.aim.onGround(at.x, at.y);
    if (point) void buildAt(point.toArray());
    return null;
  }
}
