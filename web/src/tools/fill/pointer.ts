/** Fill: press into a compartment, and it is found; pull a face of the bay by its handle; or draw a bay on the floor. */
import * as THREE from "three";

import type { Pose } from "../../api/client";
import { inWords } from "../../fit/units";
import { useStage } from "../../state";
import { BoxDrag } from "../boxDrag";
import type { At, Gesture, PointerTool, StageParts } from "../tool";
import {
  type Face,
  axisOf,
  boxInHand,
  chooseBay,
  drawnBay,
  facesOf,
  handlesOf,
  reshape,
  resizedBox,
} from "./filling";

/** CSS pixels within which a handle is taken hold of. */
const REACH_PX = 12;

export class FillPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(at: At): void {
    const { view, beside } = this.stage;
    const { pieces, drawingBay } = useStage.getState();
    const face = drawingBay ? null : faceAt(this.stage, at);
    const hit = view.pick(at.x, at.y);
    const piece = hit && pieces.get(hit.key);
    view.canvas.style.cursor = face ? "grab" : drawingBay ? "crosshair" : piece ? "pointer" : "default";
    if (face) return beside.figures(at, "pull this side");
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
    const face = faceAt(this.stage, at);
    if (face) return new FaceDrag(this.stage, face);
    const { view } = this.stage;
    const hit = view.pick(at.x, at.y);
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
    const normal = view.pickNormal(at.x, at.y);
    if (normal) void chooseBay(hit.point.toArray(), normal.toArray());
    return null;
  }
}

function faceAt({ view }: StageParts, at: At): Face | null {
  const pose = boxInHand()?.pose;
  if (!pose) return null;
  let best: Face | null = null;
  let least = REACH_PX;
  for (const face of facesOf(pose)) {
    const on = view.onScreen(face.at);
    const away = Math.hypot(on.x - at.x, on.y - at.y);
    if (away < least) [best, least] = [face, away];
  }
  return best;
}

/** A side of the bay that is pulled; it goes there when it is let go. */
class FaceDrag implements Gesture {
  private readonly bay = boxInHand()!;
  private pose: Pose = this.bay.pose;

  constructor(
    private readonly stage: StageParts,
    private readonly face: Face,
  ) {}

  move(at: At): void {
    const { axis, side } = this.face;
    const outward = new THREE.Vector3(...axisOf(this.bay.pose, axis)).multiplyScalar(side);
    const by = this.stage.view.alongLine(at.x, at.y, new THREE.Vector3(...this.face.at), outward);
    if (by === null) return;
    this.pose = resizedBox(this.bay.pose, axis, side < 0 ? by : 0, side > 0 ? by : 0);
    this.stage.view.showDots(handlesOf(this.pose), true);
    this.stage.view.regions.move(this.bay.key, this.pose);
    this.stage.beside.figures(at, `${["across", "up", "along"][axis]} ${inWords(this.pose.scale[axis])}`);
  }

  up(): void {
    this.stage.beside.nothing();
    if (this.pose !== this.bay.pose) void reshape(this.bay.key, this.pose);
  }

  cancel(): void {
    this.stage.view.regions.move(this.bay.key, this.bay.pose);
    this.stage.view.showDots(handlesOf(this.bay.pose), true);
    this.stage.beside.nothing();
  }
}
