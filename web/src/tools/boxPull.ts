/** A side of a box that stands on the set, pulled by its handle; it goes there when it is let go. */
import * as THREE from "three";

import type { Pose } from "../api/client";
import { inWords } from "../fit/units";
import type { Layer } from "../stage/layers";
import { type Box, type Face, axisOf, facesOf, handlesOf, reshape, resizedBox } from "./boxes";
import type { At, Gesture, StageParts } from "./tool";

/** CSS pixels within which a handle is taken hold of. */
const REACH_PX = 12;

export interface Side {
  box: Box;
  face: Face;
}

/** The side of one of `boxes` whose handle is under the pointer. */
export function sideAt({ view }: StageParts, at: At, boxes: Box[]): Side | null {
  let best: Side | null = null;
  let least = REACH_PX;
  for (const box of boxes)
    for (const face of facesOf(box.pose)) {
      const on = view.aim.onScreen(face.at);
      const away = Math.hypot(on.x - at.x, on.y - at.y);
      if (away < least) [best, least] = [{ box, face }, away];
    }
  return best;
}

export class BoxPull implements Gesture {
  private readonly box: Box;
  private readonly face: Face;
  private pose: Pose;
  private readonly layer: Layer;

  /** `boxes`: all whose handles are shown. */
  constructor(
    private readonly stage: StageParts,
    side: Side,
    private readonly boxes: () => Box[],
  ) {
    ({ box: this.box, face: this.face } = side);
    this.pose = this.box.pose;
    this.layer = stage.view.layers.open("drag");
  }

  move(at: At): void {
    const { axis, side } = this.face;
    const outward = new THREE.Vector3(...axisOf(this.box.pose, axis)).multiplyScalar(side);
    const by = this.stage.view.aim.alongLine(at.x, at.y, new THREE.Vector3(...this.face.at), outward);
    if (by === null) return;
    this.draw(resizedBox(this.box.pose, axis, side < 0 ? by : 0, side > 0 ? by : 0));
    this.stage.beside.figures(at, `${["across", "up", "along"][axis]} ${inWords(this.pose.scale[axis])}`);
  }

  private draw(pose: Pose): void {
    this.pose = pose;
    const others = this.boxes().filter((box) => box.key !== this.box.key);
    const regionPoses = new Map([[this.box.key, pose]]);
    void this.layer.show({ handles: handlesOf([...others, { pose }]), regionPoses });
  }

  up(): void {
    this.stage.beside.nothing();
    if (this.pose === this.box.pose) return this.layer.close();
    // It is drawn so until the box itself is.
    void reshape(this.box.key, this.pose).finally(() => this.layer.close());
  }

  cancel(): void {
    this.layer.close();
    this.stage.beside.nothing();
  }
}
