/** Scatter: press on the ground that it lies on; on what a clause names; on a laid piece to choose it; or chalk the ground. */
import type { Triple } from "../../api/client";
import type { Layer } from "../../stage/layers";
import { useStage } from "../../state";
import type { Asking } from "../../state/scatter";
import { BoxDrag } from "../boxDrag";
import { BoxPull, sideAt } from "../boxPull";
import { addFar, addNear, boxesInHand, markOut } from "./recipes";
import type { At, Gesture, PointerTool, StageParts } from "../tool";

/** Metres between two points of a stroke of chalk, over its width. */
const STROKE_STEP = 0.25;
const MOST_POINTS = 2000;
/** What is asked for by a press on a piece. */
const NAMES_A_PIECE: Asking[] = ["near", "far", "keep out", "only inside"];

export class ScatterPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(at: At): void {
    const { view, beside } = this.stage;
    const hit = view.aim.pick(at.x, at.y);
    const { pieces, recipe, asking } = useStage.getState();
    if (!asking && sideAt(this.stage, at, boxesInHand())) {
      view.canvas.style.cursor = "grab";
      return beside.figures(at, "pull this side");
    }
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
      return new Stroke(this.stage, at, (points) => chalked(points, asking === "chalk" ? 1 : 0));
    if (asking === "line to lie near" || asking === "line to keep off")
      return new Stroke(this.stage, at, (line) => {
        const state = useStage.getState();
        if (asking === "line to lie near") addNear(state, { line });
        else addFar(state, { line });
        set({ asking: null });
      });
    const side = asking ? null : sideAt(this.stage, at, boxesInHand());
    if (side) return new BoxPull(this.stage, side, boxesInHand);
    if (asking === "box to keep out of" || asking === "box to stay in")
      return new BoxDrag(this.stage, at, (box) => {
        set({ asking: null });
        void markOut(box, asking === "box to stay in");
      });
    const hit = this.stage.view.aim.pick(at.x, at.y);
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
    if (asking === "near") addNear(useStage.getState(), { of: key });
    if (asking === "far") addFar(useStage.getState(), { of: key });
    if (asking === "area")
      setRules({ area: { at: point, across_m: 2, along_m: 2, round: true, turn_deg: 0 } });
    if (asking === "keep out") setRecipe({ keep_out: [...(recipe.keep_out ?? []), key] });
    if (asking === "only inside") setRecipe({ only_inside: [...(recipe.only_inside ?? []), key] });
  }
}

/** A stroke of chalk, full but for its border, over what was drawn before. */
function chalked(points: Triple[], weight: number): void {
  const { chalkWidth, recipe, setRules } = useStage.getState();
  const stroke = { points, radius_m: 0.5 * chalkWidth, fade_m: 0.15 * chalkWidth, weight, on: null };
  setRules({ chalk: [...(recipe.rules?.chalk ?? []), stroke] });
}

/** A line drawn on the ground, `drawn` when it is let go. */
class Stroke implements Gesture {
  private readonly points: Triple[] = [];
  private readonly layer: Layer;

  constructor(
    private readonly stage: StageParts,
    at: At,
    private readonly drawn: (points: Triple[]) => void,
  ) {
    this.layer = stage.view.layers.open("drag");
    this.move(at);
  }

  move(at: At): void {
    const { view } = this.stage;
    const point = view.aim.pickPoint(at.x, at.y)?.toArray();
    const last = this.points.at(-1);
    const { chalkWidth } = useStage.getState();
    if (!point || this.points.length >= MOST_POINTS) return;
    if (last && Math.hypot(...point.map((v, k) => v - last[k]!)) < STROKE_STEP * chalkWidth) return;
    this.points.push(point);
    void this.layer.show({ dots: this.points.flat() });
  }

  up(): void {
    if (this.points.length) this.drawn(this.points);
    this.layer.close();
  }

  cancel(): void {
    this.layer.close();
  }
}
