/** Line up: press what it is lined up with, or catch points of the piece and where they go; seen before it is made. */
import * as THREE from "three";

import type { Pose } from "../../api/client";
import type { Caught, Previewed } from "../../api/live";
import { piecesOf, posesOf } from "../../api/mirror";
import { inWords } from "../../fit/units";
import { make } from "../../stage/making";
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
  private asked = 0;
  private tried = 0;
  private caught: Caught | null = null;
  private overridden: string[] = [];
  private visiting = false;
  private sawThrough = false;

  constructor(private readonly stage: StageParts) {}

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
    const key = view.pick(at.x, at.y)?.key ?? null;
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
    const turn = ++this.asked;
    const near = { ray: view.ray(at.x, at.y), pixel: view.pixel };
    const found = await line.catchNear({ ...near, ...(this.mine ? { only: mover } : { skip: mover }) });
    if (turn !== this.asked) return;
    this.caught = found;
    this.draw();
    // What is chosen behind a bearer is seen through it.
    const over = view.pick(at.x, at.y)?.key;
    this.seeThrough(
      !!found && over !== undefined && over !== found.on && pieces.get(over)?.role === "bearer",
    );
    const name = pieces.get(found?.on ?? "")?.name;
    const from = useStage.getState().picked.at(-1);
    const away = found && from && !this.mine ? `, ${inWords(distance(from.point, found.point))} from it` : "";
    beside.figures(at, found && name ? `${CAUGHT_WORDS[found.what]} of ${name}${away}` : "");
  }

  private seeThrough(hidden: boolean): void {
    if (hidden === this.sawThrough) return;
    this.sawThrough = hidden;
    this.stage.view.pieces.setSeeThrough(hidden || useStage.getState().seeThrough);
  }

  /** What is picked, what is caught, and a thin line from where it is taken to where it goes. */
  private draw(): void {
    const { picked } = useStage.getState();
    const { view } = this.stage;
    view.showCaught([...picked, ...(this.caught ? [this.caught] : [])]);
    const from = picked.at(-1);
    if (from && !this.mine && this.caught && useStage.getState().lineUp.way !== "row") {
      const [a, b] = [new THREE.Vector3(...from.point), new THREE.Vector3(...this.caught.point)];
      view.measure(a, b, inWords(a.distanceTo(b)));
    } else view.measure(null, null, "");
  }

  press(at: At): Gesture {
    const { view } = this.stage;
    const key = view.pick(at.x, at.y)?.key ?? null;
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
    const turn = ++this.tried;
    if (!move) return this.hideGhost();
    const previewed = await this.stage.line.previewMove(move);
    if (turn !== this.tried) return;
    // Where it cannot be made, the reason stands in the slip.
    if (!previewed) return this.hideGhost();
    if (move.kind === "row") return this.showRow(previewed);
    const poses = new Map<string, Pose | null>(posesOf(previewed.deltas));
    for (const key of this.overridden) if (!poses.has(key)) poses.set(key, null);
    this.overridden = [...poses].flatMap(([key, pose]) => (pose ? [key] : []));
    this.stage.view.pieces.overrideAll(poses);
    const { pieces, set } = useStage.getState();
    const first = pieces.get(this.overridden[0] ?? "");
    const end = first && poses.get(first.key);
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
    void this.stage.view.pieces.visit(new Map(coming.map((p) => [p.key, p])), {}, new Set());
    this.visiting = true;
    useStage.getState().set({ note: `${coming.length} would stand there; Enter lays them` });
  }

  private hideGhost(): void {
    if (this.visiting) void this.stage.view.pieces.visit(new Map(), {}, new Set());
    this.visiting = false;
    if (this.overridden.length)
      this.stage.view.pieces.overrideAll(new Map(this.overridden.map((key) => [key, null])));
    this.overridden = [];
  }

  leave(): void {
    this.asked += 1;
    this.tried += 1;
    this.caught = null;
    this.hideGhost();
    this.seeThrough(false);
    const { view, beside } = this.stage;
    view.showCaught([]);
    view.measure(null, null, "");
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
    this.tried += 1;
    void make(move).then((change) => {
      this.hideGhost();
      this.stage.view.showCaught([]);
      if (change) set({ picked: [], target: null, note: change.words });
    });
  }
}

function distance(a: readonly number[], b: readonly number[]): number {
  return Math.hypot(a[0]! - b[0]!, a[1]! - b[1]!, a[2]! - b[2]!);
}
