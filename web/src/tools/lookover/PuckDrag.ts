/** One drag of the puck: from where it was taken hold of to the move it makes, tried on the server all the way. */
import * as THREE from "three";

import type { Move, Piece, Triple } from "../../api/client";
import type { LiveLine } from "../../api/live";
import { inMillimetres, parseFigure, parseLength } from "../../fit/units";
import type { Layer, Shown } from "../../stage/layers";
import { copyOf, makeCopies } from "../../stage/copying";
import { make, previewOf } from "../../stage/making";
import type { PuckPart } from "../../stage/puck";
import type { StageView } from "../../stage/view";
import { useStage } from "../../state";
import { carryOf, raiseOf, slideOf, turnOf } from "../../state/mover";
import { snapped } from "../../state/steps";
import type { At, StageParts } from "../tool";

const LEAST_FACTOR = 0.05;

export interface Figures {
  move: Move | null;
  /** What it comes to, for the label beside the pointer. */
  words: string;
}

export class PuckDrag {
  private readonly view: StageView;
  private readonly line: LiveLine;
  private readonly centre: THREE.Vector3;
  private readonly up: THREE.Vector3;
  private readonly from: THREE.Vector3;
  private readonly pieces: Piece[];
  private readonly layer: Layer;
  private readonly holds: ReadonlySet<string>;
  /** Figures typed while dragging; they count instead of the pointer. */
  typed = "";
  last: Figures = { move: null, words: "" };
  private at = { x: 0, y: 0, free: false };

  constructor(
    readonly part: PuckPart,
    readonly keys: string[],
    { x, y }: At,
    { view, line }: Pick<StageParts, "view" | "line">,
    readonly copies = false,
  ) {
    [this.view, this.line] = [view, line];
    this.centre = view.puck.at;
    this.up = view.puck.up;
    this.from = this.point(x, y) ?? this.centre.clone();
    const { pieces } = useStage.getState();
    this.pieces = keys.map((k) => pieces.get(k)).filter((p) => p !== undefined);
    this.at = { x, y, free: false };
    this.holds = new Set(copies ? [] : keys);
    this.layer = view.layers.open("drag", { holds: this.holds });
  }

  /** Where a pixel is: on the disc's plane; for the post, on an upright plane that faces the camera. */
  private point(x: number, y: number, free = false): THREE.Vector3 | null {
    const facing = this.view.camera.getWorldDirection(new THREE.Vector3()).negate();
    const normal =
      this.part === "post"
        ? facing.sub(this.up.clone().multiplyScalar(facing.dot(this.up))).normalize()
        : free
          ? facing
          : this.up;
    const hit = this.view.aim.onPlane(x, y, this.centre.toArray(), normal.toArray());
    return hit ? new THREE.Vector3(...hit) : null;
  }

  /** The pointer moved; `free`: with the key held that lets go of the surface. */
  async to(x: number, y: number, free: boolean): Promise<Figures> {
    this.at = { x, y, free };
    const figures = this.figures();
    this.last = figures;
    if (!figures.move) {
      this.layer.overtake();
      this.show({});
      return figures;
    }
    const previewed = await this.layer.latest(this.line.previewMove(figures.move));
    if (previewed) this.show(previewOf(previewed));
    return figures;
  }

  private figures(): Figures {
    const { steps, together } = useStage.getState();
    const keys = this.keys;
    const now = this.point(this.at.x, this.at.y, this.at.free);
    const typed = this.typed;
    const nothing = { move: null, words: "" };
    if (!now && !typed) return nothing;
    const travel = (now ?? this.from).clone().sub(this.from);
    if (this.part === "face" && this.at.free) {
      const by = travel.toArray();
      return { move: this.goes(keys, by, true), words: `free, ${figuresOf(by)}` };
    }
    if (this.part === "face") {
      const { right, away } = this.view.floorAxes();
      const [a, b] = [new THREE.Vector3(...right), new THREE.Vector3(...away)];
      if (typed) {
        // A figure typed goes along the axis that the pointer has gone most along.
        const metres = parseLength(typed);
        if (metres === null) return { ...nothing, words: `${typed}…` };
        const [x, y] = [travel.dot(a), travel.dot(b)];
        const along = Math.abs(x) >= Math.abs(y) ? a.multiplyScalar(x < 0 ? -1 : 1) : b.multiplyScalar(y < 0 ? -1 : 1); // prettier-ignore
        return {
          move: this.goes(keys, along.multiplyScalar(metres).toArray()),
          words: `${typed} = ${inMillimetres(metres)}`,
        };
      }
      const x = snapped(travel.dot(a), steps.slide);
      const y = snapped(travel.dot(b), steps.slide);
      const rest = travel.clone().addScaledVector(a, -travel.dot(a)).addScaledVector(b, -travel.dot(b));
      const by = rest.addScaledVector(a, x).addScaledVector(b, y);
      if (by.lengthSq() < 1e-12) return nothing;
      return {
        move: this.goes(keys, by.toArray()),
        words: `${inMillimetres(x)} across, ${inMillimetres(y)} along`,
      };
    }
    if (this.part === "rim") {
      const angle = typed ? parseFigure(typed, ["°"]) : snapped(this.angle(now ?? this.from), steps.turn);
      if (angle === null) return { ...nothing, words: `${typed}…` };
      if (angle === 0) return nothing;
      return {
        move: turnOf(keys, angle),
        words: `${Math.round(angle * 100) / 100}°`,
      };
    }
    if (this.part === "post") {
      const by = typed ? parseLength(typed) : snapped(travel.dot(this.up), steps.raise);
      if (by === null) return { ...nothing, words: `${typed}…` };
      const first = this.pieces[0];
      if (!first || by === 0) return nothing;
      return { move: raiseOf(keys, by), words: raised(this.pieces, by) };
    }
    const grown =
      Math.max(0.01, (now ?? this.from).distanceTo(this.centre)) /
      Math.max(0.01, this.from.distanceTo(this.centre));
    const percent = typed ? parseFigure(typed, ["%"]) : null;
    if (typed && percent === null) return { ...nothing, words: `${typed}…` };
    const factor = Math.max(LEAST_FACTOR, percent !== null ? percent / 100 : snapped(grown, steps.size));
    if (factor === 1) return nothing;
    return {
      move: { kind: "size", pieces: keys, factor, together },
      words: `${Math.round(factor * 1000) / 10} %`,
    };
  }

  /** Degrees about the way up from where the rim was taken to where the pointer is. */
  private angle(now: THREE.Vector3): number {
    const a = this.from.clone().sub(this.centre);
    const b = now.clone().sub(this.centre);
    return (Math.atan2(this.up.dot(a.clone().cross(b)), a.dot(b)) * 180) / Math.PI;
  }

  /** Along the surface or `freely`; of copies, those go. */
  private goes(keys: string[], by: Triple, freely = false): Move {
    if (this.copies) return copyOf(keys, by);
    return freely ? carryOf(keys, by) : slideOf(keys, by);
  }

  private show(shown: Shown): void {
    void this.layer.only({ ...shown, holds: this.holds });
    const first = this.pieces.find((p) => shown.poses?.has(p.key));
    const travel = new THREE.Vector3();
    if (first && this.part === "face")
      travel.fromArray(shown.poses!.get(first.key)!.position).sub(new THREE.Vector3(...first.pose.position));
    this.view.puck.group.position.copy(this.centre).add(travel);
  }

  type(key: string): boolean {
    if (key === "Backspace") this.typed = this.typed.slice(0, -1);
    else if (/^[0-9.,+\-*/() a-z°%]$/i.test(key)) this.typed += key;
    else return false;
    return true;
  }

  again(): Promise<Figures> {
    return this.to(this.at.x, this.at.y, this.at.free);
  }

  /** Make the move that the label tells, and let go. */
  async leave(): Promise<void> {
    this.layer.overtake();
    const { move } = this.figures();
    try {
      if (move?.kind === "copy") await makeCopies(move);
      else if (move) await make(move);
    } finally {
      this.cancel();
    }
  }

  cancel(): void {
    this.view.puck.group.position.copy(this.centre);
    this.layer.close();
  }
}

/** What pieces come to that are raised by so many metres: of several, how far they go. */
function raised(pieces: Piece[], by: number): string {
  const first = pieces[0]!;
  if (pieces.length > 1 || first.role === "bearer")
    return `${inMillimetres(Math.abs(by))} ${by > 0 ? "up" : "down"}`;
  const sink = Math.round((first.sink - first.stand_off - by) * 1e7) / 1e7;
  return sink > 0 ? `sunk ${inMillimetres(sink)}` : sink < 0 ? `${inMillimetres(-sink)} off` : "touches";
}

function figuresOf([x, y, z]: Triple): string {
  return `${inMillimetres(x)} across, ${inMillimetres(y)} up, ${inMillimetres(z)} along`;
}
