/** What is drawn on the stage beside the set: marks, the ghost, what tools show, and the labels of all of it. */
import * as THREE from "three";

import type { Fit } from "../api/client";
import { Ghost, type PlumbLabel, emptied } from "../drawing/marks";
import { matrixOf } from "../drawing/matrixOf";
import { loadModel } from "../drawing/models";
import { SeatMarks } from "../seats/SeatMarks";
import { TieLines } from "../ties/TieLines";
import { CaughtMark } from "./CaughtMark";
import { Dots } from "./dots";
import { GroundLines } from "./groundLines";
import { strokes } from "./hatching";
import type { GhostOf, Scene } from "./layers";
import type { Pieces } from "./pieces";
import { outlines } from "./rings";
import { type Marked, SpikeMarks, plumbLabel } from "./SpikeMarks";
import { Tape } from "./tape";

const MOST_FLAGS = 60;
const FLAG_PX = { width: 44, height: 24 };

export class Overlay {
  private readonly ghost = new Ghost();
  private readonly marks = new SpikeMarks();
  private readonly tape = new Tape();
  private readonly seats = new SeatMarks();
  private readonly ties = new TieLines();
  private readonly caught = new CaughtMark();
  private readonly dots = new Dots();
  private readonly handles = new Dots(true);
  private readonly rings = new GroundLines("#5f6b72", 0.55, true);
  private readonly hatching = new GroundLines("#20303a", 0.45, false);
  /** The boxes of bearers that are selected. */
  private readonly boxes = new GroundLines("#22303a", 0.75, true);
  private flags: PlumbLabel[] = [];
  private labels: PlumbLabel[] = [];
  /** The piece that they are about. */
  private labelOf: string | null = null;
  private moving: Scene["poses"] = new Map();
  private ghostLabel: PlumbLabel | null = null;
  /** The ghost that is wanted: another may have come by when its model is there. */
  private ghostOf: GhostOf | null = null;

  /** `redraw`: draw once, soon; `changed`: also the shadows. */
  constructor(
    private readonly scene: THREE.Scene,
    private readonly pieces: Pieces,
    private readonly redraw: (changed: boolean) => void,
  ) {
    scene.add(...this.objects());
    this.ghost.hide();
  }

  /** All of it, but for what stands for pieces. */
  objects(): THREE.Object3D[] {
    const marks = [this.marks, this.tape, this.ghost, this.seats, this.ties, this.caught];
    return [
      ...marks.map((m) => m.group),
      this.dots.points,
      this.handles.points,
      this.rings.lines,
      this.hatching.lines,
      this.boxes.lines,
    ];
  }

  /** Show what differs between two scenes. Resolves when all of it is there. */
  async show(scene: Scene, before: Scene): Promise<void> {
    this.moving = scene.poses;
    const differs = (field: keyof Scene) => scene[field] !== before[field];
    if (differs("tape"))
      this.tape.stretch(scene.tape?.from ?? null, scene.tape?.to ?? null, scene.tape?.text ?? "");
    if (differs("seats")) this.seats.show(scene.seats);
    if (differs("caught")) this.caught.show(scene.caught);
    if (differs("ties")) this.ties.show(...scene.ties);
    if (differs("dots")) this.dots.show(scene.dots);
    if (differs("handles")) this.handles.show(scene.handles);
    if (differs("barred")) this.hatching.show(strokes(scene.barred));
    if (differs("rings")) this.rings.show(outlines(scene.rings));
    if (differs("flags"))
      this.flags = scene.flags.map(({ at, text }) => ({ at: new THREE.Vector3(...at), text, quiet: true }));
    if (differs("standIns")) this.drawStandIns(before.standIns, scene.standIns);
    this.redraw(false);
    if (differs("ghost")) await this.drawGhost(scene.ghost);
  }

  private drawStandIns(before: Scene["standIns"], now: Scene["standIns"]): void {
    for (const { object } of before.values()) this.scene.remove(object);
    for (const [key, { object, pose }] of now) {
      object.matrixAutoUpdate = false;
      matrixOf(pose, object.matrix);
      object.matrixWorldNeedsUpdate = true;
      object.userData.standsFor = key;
      this.scene.add(object);
    }
    this.redraw(true);
  }

  private async drawGhost(ghost: GhostOf | null): Promise<void> {
    this.ghostOf = ghost;
    const model = ghost && (await loadModel(ghost.file));
    // Hidden, or shown elsewhere, while its model was still to come.
    if (ghost !== this.ghostOf) return;
    if (ghost && model) this.ghost.show(model, ghost.pose, ghost.clashing);
    else this.ghost.hide();
    this.ghostLabel = ghost?.label ? { at: new THREE.Vector3(...ghost.at), text: ghost.label } : null;
    this.redraw(false);
  }

  setMarks(keys: string[], fits: ReadonlyMap<string, Fit>, write: (fit: Fit) => string): void {
    const marked = keys.flatMap((key): Marked[] => {
      const piece = this.pieces.piece(key);
      const frame = this.pieces.frame(key);
      return piece && frame && piece.role !== "bearer" ? [{ piece, frame, fit: fits.get(key) }] : [];
    });
    this.marks.show(marked);
    // One whose model is still to come has no box yet.
    const boxed = keys.filter(
      (key) => this.pieces.piece(key)?.role === "bearer" && !this.pieces.worldBox([key]).isEmpty(),
    );
    this.boxes.show(boxEdges(boxed.map((key) => this.pieces.worldBox([key]))));
    this.labelOf = keys[0] ?? null;
    const label = keys.length === 1 && marked[0] ? plumbLabel(marked[0], write) : null;
    const names = boxed.map((key) => {
      const box = this.pieces.worldBox([key]);
      return {
        at: box.getCenter(new THREE.Vector3()).setY(box.max.y),
        text: this.pieces.piece(key)!.name,
        quiet: true,
      };
    });
    this.labels = [...(label ? [label] : []), ...names];
    this.redraw(false);
  }

  /** What always has its face to the eye. */
  turnTo(camera: THREE.PerspectiveCamera, height: number): void {
    this.seats.turnTo(camera, height);
    this.caught.turnTo(camera, height);
  }

  /** Labels within a picture of so many pixels. What is written at a piece is not shown while that is dragged away from there. */
  labelsSeen(camera: THREE.Camera, width: number, height: number): PlumbLabel[] {
    const moved = this.labelOf !== null && this.moving.has(this.labelOf);
    const all = [
      ...(moved ? [] : this.labels),
      ...this.ties.labels,
      ...[this.ghostLabel, this.tape.label].filter((label) => label !== null),
    ];
    // What is behind the eye would be written where its mirror image is.
    const seen = all.filter(({ at }) => {
      const { x, y, z } = at.clone().project(camera);
      return Math.max(Math.abs(x), Math.abs(y), Math.abs(z)) < 1;
    });
    return [...seen, ...this.nearestFlags(camera, width, height)];
  }

  /** The flags within the picture, the nearest first, and none over a nearer one. */
  private nearestFlags(camera: THREE.Camera, width: number, height: number): PlumbLabel[] {
    const seen = this.flags.flatMap((flag) => {
      const { x, y, z } = flag.at.clone().project(camera);
      return Math.max(Math.abs(x), Math.abs(y), Math.abs(z)) < 1 ? [{ flag, x, y, z }] : [];
    });
    seen.sort((a, b) => a.z - b.z);
    const shown: typeof seen = [];
    for (const one of seen) {
      if (shown.length === MOST_FLAGS) break;
      const covered = shown.some(
        ({ x, y }) =>
          Math.abs(x - one.x) * width < 2 * FLAG_PX.width &&
          Math.abs(y - one.y) * height < 2 * FLAG_PX.height,
      );
      if (!covered) shown.push(one);
    }
    return shown.map(({ flag }) => flag);
  }

  dispose(): void {
    this.marks.dispose();
    this.dots.dispose();
    this.handles.dispose();
    this.rings.dispose();
    this.hatching.dispose();
    this.boxes.dispose();
    for (const { group } of [this.tape, this.seats, this.ties, this.caught]) emptied(group);
  }
}

/** Both ends of the twelve edges of each box, x, y, z one after the other. */
function boxEdges(boxes: THREE.Box3[]): Float32Array {
  const ends = boxes.flatMap(({ min, max }) => {
    const corner = (i: number) => [i & 1 ? max.x : min.x, i & 2 ? max.y : min.y, i & 4 ? max.z : min.z];
    return [0, 1, 2, 3, 4, 5, 6, 7].flatMap((i) =>
      [1, 2, 4].flatMap((axis) => (i & axis ? [] : [...corner(i), ...corner(i | axis)])),
    );
  });
  return new Float32Array(ends);
}
