/** A box drawn from corner to corner on the ground; it stands on the lower of the two. */
import type { Triple } from "../api/client";
import { inWords } from "../fit/units";
import type { Layer } from "../stage/layers";
import { useStage } from "../state";
import type { At, Gesture, StageParts } from "./tool";

/** A volume that is drawn on the stage: its foot in plan, in metres, and how high it is. */
export interface DrawnBox {
  /** Middle of its foot. */
  at: Triple;
  across: number;
  along: number;
  height: number;
}

/** Points on each edge of a box while it is drawn. */
const OUTLINE = 24;
/** Metres that a drawn box is wide at least. */
const LEAST_BOX = 0.02;

export class BoxDrag implements Gesture {
  private readonly from: Triple | null;
  private box: DrawnBox | null = null;
  private readonly layer: Layer;

  constructor(
    private readonly stage: StageParts,
    at: At,
    private readonly drawn: (box: DrawnBox) => void,
  ) {
    this.from = this.ground(at);
    this.layer = stage.view.layers.open("drag");
  }

  private ground(at: At): Triple | null {
    const { view } = this.stage;
    return (view.aim.pickPoint(at.x, at.y) ?? view.aim.onGround(at.x, at.y))?.toArray() ?? null;
  }

  move(at: At): void {
    const to = this.ground(at);
    if (!this.from || !to) return;
    const [a, b] = [this.from, to];
    const { boxHeight } = useStage.getState();
    const low = Math.min(a[1], b[1]);
    this.box = {
      at: [(a[0] + b[0]) / 2, low, (a[2] + b[2]) / 2],
      across: Math.abs(b[0] - a[0]),
      along: Math.abs(b[2] - a[2]),
      // From its foot to so far over the higher of the two corners.
      height: boxHeight + Math.abs(b[1] - a[1]),
    };
    void this.layer.show({ dots: outline(this.box) });
    this.stage.beside.figures(at, `${inWords(this.box.across)} across, ${inWords(this.box.along)} along`);
  }

  up(): void {
    const { box } = this;
    this.cancel();
    if (box && Math.min(box.across, box.along) >= LEAST_BOX) this.drawn(box);
  }

  cancel(): void {
    this.stage.beside.nothing();
    this.layer.close();
  }
}

/** Points along the edges of a box. */
function outline({ at: [x, y, z], across, along, height }: DrawnBox): number[] {
  const found: number[] = [];
  for (let k = 0; k <= OUTLINE; k++) {
    const s = k / OUTLINE - 0.5;
    for (const level of [y, y + height])
      for (const end of [-0.5, 0.5])
        found.push(x + s * across, level, z + end * along, x + end * across, level, z + s * along);
    for (const i of [-0.5, 0.5])
      for (const j of [-0.5, 0.5]) found.push(x + i * across, y + (s + 0.5) * height, z + j * along);
  }
  return found;
}
