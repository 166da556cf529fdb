/** Fill: press into a compartment, and it is found; pull a face of the bay by its handle; or draw a bay on the floor. */
import { useStage } from "../../state";
import { BoxDrag } from "../boxDrag";
import { BoxPull, sideAt } from "../boxPull";
import type { At, Gesture, PointerTool, StageParts } from "../tool";
import { bayInHand, chooseBay, drawnBay } from "./filling";

export class FillPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(at: At): void {
    const { view, beside } = this.stage;
    const { pieces, drawingBay } = useStage.getState();
    const side = drawingBay ? null : sideAt(this.stage, at, bayInHand());
    const hit = view.aim.pick(at.x, at.y);
    const piece = hit && pieces.get(hit.key);
    view.canvas.style.cursor = side ? "grab" : drawingBay ? "crosshair" : piece ? "pointer" : "default";
    if (side) return beside.figures(at, "pull this side");
    if (drawingBay || !piece) return beside.figures(at, "");
    const placed = piece.recipe && piece.number !== null;
    beside.figures(at, placed ? `number ${piece.number}` : `fill the room over ${piece.name}`);
  }

  leave(): void {
    this.stage.view.canvas.style.cursor = "default";
    this.stage.beside.nothing();
  }

  again(at: At): void {
    this.hover(at);
  }

  press(at: At, event: PointerEvent): Gesture | null {
    const { drawingBay, pieces, selected, select, openFilling, takeUpFilling } = useStage.getState();
    if (drawingBay) return new BoxDrag(this.stage, at, drawnBay);
    const side = sideAt(this.stage, at, bayInHand());
    if (side) return new BoxPull(this.stage, side, bayInHand);
    const { view } = this.stage;
    const hit = view.aim.pick(at.x, at.y);
    const piece = hit && pieces.get(hit.key);
    if (!hit || !piece) {
      if (!event.shiftKey) select([]);
      return null;
    }
    if (piece.recipe && piece.number !== null) {
      if (piece.recipe !== openFilling) takeUpFilling(piece.recipe);
      const before = selected.includes(piece.key);
      if (event.shiftKey) select(before ? selected.filter((k) => k !== piece.key) : [...selected, piece.key]);
      else select([piece.key]);
      return null;
    }
    const normal = view.aim.pickNormal(at.x, at.y);
    if (normal) void chooseBay(hit.point.toArray(), normal.toArray());
    return null;
  }
}
