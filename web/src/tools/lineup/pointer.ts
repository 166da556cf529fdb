/** Line up: press what it is lined up with, or catch points of the piece and where they go; seen before it is made. */
import * as THREE from "three";

import type { Move } from "../../api/client";
import type { Caught, Previewed } from "../../api/live";
import { piecesOf } from "../../api/mirror";
import { inWords } from "../../fit/units";
import type { Layer, TapeBetween } from "../../stage/layers";
import { make, oneAtATime, previewOf } from "../../stage/making";
import { useStage } from "../../state";
import type { At, Gesture, PointerTool, StageParts } from "../tool";
import { lineUpMove, pairsOf } from "./moves";

const MOST_PAIRS = 3;
export const CAUGHT_WORDS: Record<Caught["what"], string> = {
  corner: "corner",
  edge: "edge",
  middle: "middle of an edge",
  centre: "centre",
  face: "face",
};

export class LineUpPointer implements PointerTool {
  private caught: Caught | null = null;
  /** What is caught and picked. */
  private readonly signs: Layer;
  /** Where it would come to be. */
  private readonly ghost: Layer;

  constructor(private readonly stage: StageParts) {
    this.signs = stage.view.layers.open("tool");
    this.ghost = stage.view.layers.open("tool");
  }

  private get picking(): boolean {
    const { lineUp, selected } = useStage.getState();
    return ["points", "edges", "row"].includes(lineUp.way) && selected.length > 0;
  }

  /** Whether the next thing to be picked is the mover's own. */
  private get mine(): boolean {
    const { picked, lineUp } = useStage.getState();
    return lineUp.way !== "row" && picked.length % 2 === 0;
  }

  hover(at: At): void {
    const { view } = this.stage;
    if (this.picking) return void this.catchAt(at);
    const key = view.aim.pick(at.x, at.y)?.key ?? null;
    useStage.getState().point(key);
    view.canvas.style.cursor = key ? "pointer" : "default";
  }

  again(at: At): void {
    void this.preview();
    if (this.picking) void this.catchAt(at);
  }

  private async catchAt(at: At): Promise<void> {
    const { view, line, beside } = this.stage;
    const { selected, pieces } = useStage.getState();
    const mover = selected[0]!;
    const near = { ray: view.aim.ray(at.x, at.y), pixel: view.aim.pixel };
    const found = await this.signs.latest(
      line.catchNear({ ...near, ...(this.mine ? { only: mover } : { skip: mover }) }),
    );
    if (found === undefined) return;
    this.caught = found;
    // What is chosen behind a bearer is seen through it.
    const over = view.aim.pick(at.x, at.y)?.key;
    const hidden = !!found && over !== undefined && over !== found.on && pieces.get(over)?.role === "bearer";
    this.draw(hidden);
    const name = pieces.get(found?.on ?? "")?.name;
    const from = useStage.getState().picked.at(-1);
    const away = found && from && !this.mine ? `, ${inWords(distance(from.point, found.point))} from it` : "";
    beside.figures(at, found && name ? `${CAUGHT_WORDS[found.what]} of ${name}${away}` : "");
  }

  /** What is picked, what is caught, and a thin line from where it is taken to where it goes. `hidden`: it is behind a bearer. */
  private draw(hidden = false): void {
    const { picked } = useStage.getState();
    const from = picked.at(-1);
    let tape: TapeBetween | undefined;
    if (from && !this.mine && this.caught && useStage.getState().lineUp.way !== "row") {
      const [a, b] = [new THREE.Vector3(...from.point), new THREE.Vector3(...this.caught.point)];
      tape = { from: a, to: b, text: inWords(a.distanceTo(b)) };
    }
    const caught = [...picked, ...(this.caught ? [this.caught] : [])];
    void this.signs.only({ caught, tape, seeThrough: hidden || undefined });
  }

  press(at: At): Gesture {
    const { view } = this.stage;
    const key = view.aim.pick(at.x, at.y)?.key ?? null;
    return { move: () => undefined, up: () => this.pressed(key), cancel: () => this.leave() };
  }

  private pressed(key: string | null): void {
    const { selected, select, pieces, set, picked } = useStage.getState();
    if (!selected.length) {
      if (key && pieces.get(key)?.role === "prop") select([key]);
      return;
    }
    if (!this.picking) {
      if (!key || selected.includes(key)) return;
      set({ target: key });
      return void this.preview();
    }
    if (!this.caught) return;
    if (pairsOf(picked).length >= MOST_PAIRS) return set({ note: "three pairs are enough; press Enter" });
    const { on, what, point, ends } = this.caught;
    const { way } = useStage.getState().lineUp;
    if ((way === "edges" || way === "row") && !ends) return set({ note: "press on an edge" });
    // A row goes along one edge: the last that was pressed.
    set({ picked: [...(way === "row" ? [] : picked), { piece: on, what, point, ends }] });
    this.draw();
    void this.preview();
  }

  /** Show where it would come to be. */
  private async preview(): Promise<void> {
    const move = lineUpMove();
    if (!move) return this.ghost.clear();
    const previewed = await this.ghost.latest(this.stage.line.previewMove(move));
    if (previewed === undefined) return;
    // Where it cannot be made, the reason stands in the slip.
    if (!previewed) return this.ghost.clear();
    if (move.kind === "row") return this.showRow(previewed);
    const shown = previewOf(previewed);
    void this.ghost.only(shown);
    const { pieces, set } = useStage.getState();
    const [[key, end] = []] = shown.poses!;
    const first = pieces.get(key ?? "");
    set({
      note:
        first && end
          ? `would go ${inWords(distance(first.pose.position, end.position))}; Enter makes it`
          : "it is in line already",
    });
  }

  /** The copies that would come, as guests of the set. */
  private showRow(previewed: Previewed): void {
    const coming = piecesOf(previewed.deltas).flatMap(([, piece], i) =>
      piece ? [{ ...piece, key: `row ${i}` }] : [],
    );
    void this.ghost.only({ guests: new Map(coming.map((p) => [p.key, p])) });
    useStage.getState().set({ note: `${coming.length} would stand there; Enter lays them` });
  }

  leave(): void {
    this.caught = null;
    this.ghost.clear();
    this.signs.clear();
    const { view, beside } = this.stage;
    beside.nothing();
    view.canvas.style.cursor = "default";
  }

  /** Make what is shown. */
  inTheMiddle(): void {
    const move = lineUpMove();
    const { set, selected } = useStage.getState();
    if (!move)
      return set({
        note: selected.length ? "press what it is lined up with first" : "press on a piece first",
      });
    void this.made(move);
  }

  private readonly made = oneAtATime(async (move: Move) => {
    this.ghost.overtake();
    const change = await make(move);
    this.ghost.clear();
    this.signs.clear();
    if (change) useStage.getState().set({ picked: [], target: null, note: change.words });
  });
}

function distance(a: readonly number[], b: readonly number[]): number {
  return Math.hypot(a[0]! - b[0]!, a[1]! - b[1]!, a[2]! - b[2]!);
}
