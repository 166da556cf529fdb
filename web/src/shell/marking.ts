/** Tapes, plumb line and puck of what is selected; none while an old step is looked at. */
import { isFault } from "../fit/Glyph";
import type { Fit, Triple } from "../api/client";
import { useStage } from "../state";
import { bearing, movable } from "../state/mover";
import { NOTHING_BARRED } from "../state/scatter";
import { toolOf } from "../tools";
import type { Layer } from "../stage/layers";
import type { StageView } from "../stage/view";

export function mark(view: StageView, write: (length: number) => string): void {
  const { selected, fits, pieces, verb, preview, job } = useStage.getState();
  const keys = preview || job?.state === "running" ? [] : selected;
  // What lies in an outcome has not been measured on the set yet.
  view.setMarks(keys, job ? new Map() : fits, (fit) => labelOf(fit, write));
  const moving = movable(keys);
  const first = moving[0] ? pieces.get(moving[0]) : undefined;
  if (!first || job || !toolOf(verb).puck?.()) {
    view.layPuck([], null, [0, 1, 0]);
    return;
  }
  if (bearing(moving)) return view.layPuckUnderBearers(moving);
  const lowest = moving
    .map((k) => fits.get(k))
    .filter((f) => f?.touch)
    .sort((a, b) => a!.touch![1] - b!.touch![1])[0];
  const foot = lowest?.touch
    ? (lowest.touch.map((v, i) => v + first.direction[i]! * (lowest.gap ?? 0)) as Triple)
    : null;
  const up = first.direction.map((v) => -v) as Triple;
  view.layPuck(moving, moving.length === keys.length ? foot : null, up);
}

/** The ties that are shown: quietly, and those that do not hold, belong to what is selected or were in the way, by name. */
export function markTies(marks: Layer): void {
  const { ties, measures, selected, tiesShown, tiesInTheWay, preview, job } = useStage.getState();
  const loud = new Set(tiesInTheWay);
  for (const tie of ties.values()) if (selected.includes(tie.piece)) loud.add(tie.key);
  const shown = preview || job ? [] : [...ties.values()];
  const always = (key: string) => loud.has(key) || measures.get(key)?.holds === false;
  const drawn = shown.filter((tie) => tiesShown || always(tie.key));
  void marks.show({ ties: [drawn, measures, loud, new Set(tiesInTheWay)] });
}

/** The fault that a piece has; of one that sits, its gap. */
export function labelOf(fit: Fit, write: (length: number) => string): string {
  const clash = fit.clashes[0];
  if (clash) return `${fit.deeper ? "over " : ""}${write(clash.depth)} in another`;
  if (fit.state === "sunk") return `sunk ${write(fit.depth)}`;
  if (fit.state === "unborne") return "nothing below";
  const gap = write(fit.gap ?? 0);
  return isFault(fit.state) && fit.state !== "floating" ? `${gap}, ${fit.state}` : gap;
}

/** What the verb in hand shows of its own; nothing of it while an old step is looked at. */
export function markTool(view: StageView, marks: Layer): void {
  const { verb, preview } = useStage.getState();
  const shown = preview ? {} : (toolOf(verb).marks?.(view) ?? {});
  void marks.show({ flags: [], dots: [], handles: [], barred: NOTHING_BARRED, rings: [], ...shown });
}

/** Pieces that a filling has placed so far, in place of those that it placed before. */
export function showComing(layer: Layer): void {
  const { underWay, pieces } = useStage.getState();
  const coming = underWay.flatMap((move) => move.pieces);
  const recipes = new Set(coming.map((piece) => piece.recipe));
  const before = [...pieces.values()].filter((piece) => piece.recipe && recipes.has(piece.recipe));
  // They are told from those that stand by other keys: the same one may stand elsewhere yet.
  const guests = new Map(coming.map((piece) => [`coming ${piece.key}`, piece]));
  if (guests.size) void layer.only({ guests, absent: new Set(before.map((piece) => piece.key)) });
  else layer.clear();
}
