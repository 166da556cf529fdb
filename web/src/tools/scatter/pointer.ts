/** Scatter: press on the ground that it lies on; on what a clause names; on a laid piece to choose it; or chalk the ground. */
import type { Triple } from "../../api/client";
import { inWords } from "../../fit/units";
import { useStage } from "../../state";
import type { Asking } from "../../state/scatter";
import { type DrawnBox, markOut } from "./recipes";
import type { At, Gesture, PointerTool, StageParts } from "../tool";

/** Metres between two points of a stroke of chalk, over its width. */
const STROKE_STEP = 0.25;
const MOST_POINTS = 2000;
/** What is asked for by a press on a piece. */
const NAMES_A_PIECE: Asking[] = ["near", "far", "keep out", "only inside"];
/** Points on each edge of a box while it is drawn. */
const OUTLINE = 24;
/** Metres that a drawn box is wide at least. */
const LEAST_BOX = 0.02;

export class ScatterPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(at: At): void {
    const { view, beside } = this.stage;
    const hit = view.pick(at.x, at.y);
    const { pieces, recipe, asking } = useStage.getState();
    const piece = hit && pieces.get(hit.key);
    view.canvas.style.cursor = asking ? "crosshair" : piece ? "pointer" : "default";
    if (!piece || (asking && !NAMES_A_PIECE.includes(asking))) return beside.figures(at, "");
    const laid = piece.recipe && piece.number !== null;
    const on = recipe.on.includes(piece.key);
    const words = asking ? asking : laid ? `number ${piece.number}` : on ? "no more on" : "lie on";
    beside.figures(at, `${words}${laid && !asking ? "" : ` ${piece.name}`}`);
  }

  leave(): void {
    this.stage.view.canvas.style.cursor = "default";
    this.stage.beside.nothing();
  }

  press(at: At, event: PointerEvent): Gesture | null {
    const { asking, pieces, selected, select, takeUp, openRecipe, set } = useStage.getState();
    if (asking === "chalk" || asking === "rub out")
      return new Stroke(this.stage, at, asking === "chalk" ? 1 : 0);
    if (asking === "box to keep out of" || asking === "box to stay in")
      return new BoxDrag(this.stage, at, asking === "box to stay in");
    const hit = this.stage.view.pick(at.x, at.y);
    const piece = hit && pieces.get(hit.key);
    if (!piece) {
      if (!event.shiftKey) select([]);
      return null;
    }
    if (asking) {
      this.answer(piece.key, hit.point.toArray());
      set({ asking: null });
    } else if (piece.recipe && piece.number !== null) {
      if (piece.recipe !== openRecipe) takeUp(piece.recipe);
      const before = selected.includes(piece.key);
      if (event.shiftKey) select(before ? selected.filter((k) => k !== piece.key) : [...selected, piece.key]);
      else select([piece.key]);
    } else this.toggle(piece.key);
    return null;
  }

  private toggle(key: string): void {
    const { recipe, setRecipe } = useStage.getState();
    setRecipe({ on: recipe.on.includes(key) ? recipe.on.filter((k) => k !== key) : [...recipe.on, key] });
  }

  /** What was pressed is what the clause that is asked for names. */
  private answer(key: string, point: Triple): void {
    const { asking, recipe, setRecipe, setRules } = useStage.getState();
    const { rules } = recipe;
    if (asking === "near")
      setRules({ near: [...(rules?.near ?? []), { of: key, within_m: 1, fade_m: 0, kind: null }] });
    if (asking === "far")
      setRules({ far: [...(rules?.far ?? []), { of: key, beyond_m: 0.5, fade_m: 0, kind: null }] });
    if (asking === "area")
      setRules({ area: { at: point, across_m: 2, along_m: 2, round: true, turn_deg: 0 } });
    if (asking === "keep out") setRecipe({ keep_out: [...(recipe.keep_out ?? []), key] });
    if (asking === "only inside") setRecipe({ only_inside: [...(recipe.only_inside ?? []), key] });
  }
}

/** A stroke of chalk, kept when it is let go. */
class Stroke implements Gesture {
  private readonly points: Triple[] = [];

  constructor(
    private readonly stage: StageParts,
    at: At,
    private readonly weight: number,
  ) {
    this.move(at);
  }

  move(at: At): void {
    const { view } = this.stage;
    const point = view.pickPoint(at.x, at.y)?.toArray();
    const last = this.points.at(-1);
    const { chalkWidth } = useStage.getState();
    if (!point || this.points.length >= MOST_POINTS) return;
    if (last && Math.hypot(...point.map((v, k) => v - last[k]!)) < STROKE_STEP * chalkWidth) return;
    this.points.push(point);
    view.showDots(this.points.flat());
  }

  up(): void {
    const { chalkWidth, recipe, setRules } = useStage.getState();
    if (!this.points.length) return;
    const stroke = {
      points: this.points,
      radius_m: 0.5 * chalkWidth,
      fade_m: 0.15 * chalkWidth,
      weight: this.weight,
      on: null,
    };
    setRules({ chalk: [...(recipe.rules?.chalk ?? []), stroke] });
  }

  cancel(): void {
    this.stage.view.showDots(useStage.getState().dots);
  }
}

/** A box drawn from corner to corner on the ground; it stands on the lower of the two. */
class BoxDrag implements Gesture {
  private readonly from: Triple | null;
  private box: DrawnBox | null = null;

  constructor(
    private readonly stage: StageParts,
    at: At,
    private readonly inside: boolean,
  ) {
    this.from = this.ground(at);
  }

  private ground(at: At): Triple | null {
    const { view } = this.stage;
    return (view.pickPoint(at.x, at.y) ?? view.onGround(at.x, at.y))?.toArray() ?? null;
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
    this.stage.view.showDots(outline(this.box));
    this.stage.beside.figures(at, `${inWords(this.box.across)} across, ${inWords(this.box.along)} along`);
  }

  up(): void {
    const { box, inside } = this;
    this.cancel();
    if (!box || Math.min(box.across, box.along) < LEAST_BOX) return;
    useStage.getState().set({ asking: null });
    void markOut(box, inside);
  }

  cancel(): void {
    this.stage.beside.nothing();
    this.stage.view.showDots(useStage.getState().dots);
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
