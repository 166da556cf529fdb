/** Join: the nearest free seat lights up under the pointer, and what is carried is shown there; press, and it is joined. */
import * as THREE from "three";

import type { Pose, Triple } from "../../api/client";
import type { Previewed } from "../../api/live";
import { type PlacedSeat, inWorld, nearestOnScreen } from "../../seats/frames";
import type { DrawnSeat } from "../../seats/SeatMarks";
import { piecesOf } from "../../api/mirror";
import type { Layer } from "../../stage/layers";
import { make, previewOf } from "../../stage/making";
import { useStage } from "../../state";
import type { At, Gesture, PointerTool, StageParts } from "../tool";
import { type Carried, type JoinMove, bestSeat, carriedNow, joinTo, ownSeat, targets } from "./carrying";

const REACH_PX = 24;
const CAUGHT_WORDS = {
  corner: "a corner",
  edge: "an edge",
  middle: "the middle of an edge",
  centre: "a centre",
  face: "a face",
};

/** A frame of the world in the coordinates of what stands at `pose`. */
function inPiece(pose: Pose, point: Triple, facing: Triple, clock: Triple) {
  const matrix = new THREE.Matrix4().compose(
    new THREE.Vector3(...pose.position),
    new THREE.Quaternion(...pose.orientation),
    new THREE.Vector3(...pose.scale),
  );
  const back = matrix.clone().invert();
  const linear = new THREE.Matrix3().setFromMatrix4(matrix);
  return {
    point: new THREE.Vector3(...point).applyMatrix4(back).toArray(),
    facing: new THREE.Vector3(...facing).applyMatrix3(linear.clone().transpose()).normalize().toArray(),
    clock: new THREE.Vector3(...clock).transformDirection(back).toArray(),
  };
}

export class JoinPointer implements PointerTool {
  private move: JoinMove | null = null;
  /** Every seat that it could go to. */
  private readonly seats: Layer;
  /** Where it would come to be. */
  private readonly ghost: Layer;

  constructor(private readonly stage: StageParts) {
    this.seats = stage.view.layers.open("tool");
    this.ghost = stage.view.layers.open("tool");
  }

  hover(at: At): void {
    const { view } = this.stage;
    const carried = carriedNow();
    if (!carried) {
      const key = view.aim.pick(at.x, at.y)?.key ?? null;
      const loose = key !== null && useStage.getState().pieces.get(key)?.role === "prop";
      useStage.getState().point(loose ? key : null);
      view.canvas.style.cursor = loose ? "pointer" : "default";
      this.seats.clear();
      return;
    }
    const open = targets(carried);
    const near = nearestOnScreen(open, (p) => view.aim.onScreen(p), at, REACH_PX, view.camera.position);
    this.draw(carried, open, near);
    void (near ? this.preview(carried, joinTo(carried, near, open)) : this.onPlain(carried, at));
  }

  again(at: At): void {
    this.hover(at);
  }

  /** Every seat it could go to, the one it goes to lit, and its own in ink. */
  private draw(carried: Carried, open: PlacedSeat[], near: PlacedSeat | null): void {
    const { pieces } = useStage.getState();
    const drawn: DrawnSeat[] = open.map((frame) => ({
      frame,
      look: frame === near ? "lit" : "quiet",
      step: frame.seat.step_deg ?? 0,
    }));
    const own = near ? bestSeat(carried, near, open) : ownSeat(carried, null);
    const standing = pieces.get(carried.piece ?? "");
    if (own && standing) drawn.push({ frame: inWorld(own, standing.pose), look: "mine" });
    void this.seats.only({ seats: drawn });
    const name = near ? pieces.get(near.piece)?.name : null;
    if (near && name)
      useStage.getState().set({ note: `${own?.name ?? "it"} onto ${near.seat.name} of ${name}` });
  }

  /** Where no seat is near: onto the face, edge or corner that the pointer is at. */
  private async onPlain(carried: Carried, at: At): Promise<void> {
    const { view, line } = this.stage;
    const own = ownSeat(carried, null);
    const near = { ray: view.aim.ray(at.x, at.y), pixel: view.aim.pixel, skip: carried.piece ?? null };
    const caught = await this.ghost.latest(own ? line.catchNear(near) : Promise.resolve(null));
    if (caught === undefined) return;
    const { pieces, join, set } = useStage.getState();
    const on = pieces.get(caught?.on ?? "");
    if (!caught || !on || !own) {
      this.ghost.clear();
      set({ note: own ? null : `${carried.name} has no free seat; set some on the bench` });
      return;
    }
    const shown = await this.preview(carried, {
      kind: "join",
      ...(carried.piece ? { piece: carried.piece } : { prop: carried.prop }),
      seat: own.name,
      to: on.key,
      to_frame: inPiece(on.pose, caught.point, caught.facing, caught.clock),
      turn_deg: join.turn,
      flip: join.flip,
      keep: join.keep,
    });
    if (shown) set({ note: `${own.name} onto ${CAUGHT_WORDS[caught.what]} of ${on.name}` });
  }

  /** Show what a move would do; whether it is still what is wanted, and can be made. */
  private async preview(carried: Carried, move: JoinMove): Promise<boolean> {
    this.move = move;
    const previewed = await this.ghost.latest(this.stage.line.previewMove(move));
    if (previewed === undefined) return false;
    if (!previewed) {
      // The reason stands in the slip.
      this.move = null;
      this.ghost.clear();
      return false;
    }
    this.show(carried, previewed);
    return true;
  }

  private show(carried: Carried, previewed: Previewed): void {
    if (carried.piece) return void this.ghost.only(previewOf(previewed));
    const file = useStage.getState().props.get(carried.prop)?.file;
    const pose = piecesOf(previewed.deltas)[0]?.[1]?.pose;
    if (file && pose)
      void this.ghost.only({ ghost: { file, pose, clashing: false, label: null, at: pose.position } });
  }

  leave(): void {
    this.move = null;
    this.ghost.clear();
    this.seats.clear();
    this.stage.view.canvas.style.cursor = "default";
  }

  press(at: At): Gesture {
    const carried = carriedNow();
    const key = carried ? null : this.stage.view.aim.pick(at.x, at.y)?.key;
    return {
      move: () => undefined,
      up: () => {
        if (!carried) {
          const piece = useStage.getState().pieces.get(key ?? "");
          if (piece?.role === "prop") useStage.getState().select([piece.key]);
          return;
        }
        if (this.move) void this.join(carried, this.move);
      },
      cancel: () => this.leave(),
    };
  }

  private async join(carried: Carried, move: JoinMove): Promise<void> {
    this.move = null;
    const making = make(move);
    const latest = this.ghost.latest(making);
    const change = await making;
    const { set } = useStage.getState();
    const made = change && (carried.piece ?? piecesOf(change.deltas)[0]?.[0]);
    if (made && move.to_seat)
      set({ lastJoin: { prop: carried.prop, seat: move.seat ?? "", toSeat: move.to_seat, made } });
    // Whoever points at the next seat already sees that one: the answer to the last press takes nothing of it away.
    if ((await latest) === undefined) return;
    this.ghost.clear();
    if (!change) return;
    set({ note: change.words });
    this.seats.clear();
  }

  /** For those who work by keys: the same pair once more, or the free seat nearest to the middle of the view. */
  inTheMiddle(): void {
    const carried = carriedNow();
    if (!carried) return useStage.getState().set({ note: "choose a prop or select a piece first" });
    if (joinAgain()) return;
    const { view } = this.stage;
    const { clientWidth, clientHeight } = view.canvas;
    const open = targets(carried);
    const middle = { x: clientWidth / 2, y: clientHeight / 2 };
    const near = nearestOnScreen(open, (p) => view.aim.onScreen(p), middle, Infinity, view.camera.position);
    if (near) void this.join(carried, joinTo(carried, near, open));
    else useStage.getState().set({ note: "no free seat goes with it" });
  }
}

/** One more copy onto the same seat of the one that came last: a chain is one press each. False where there is none. */
export function joinAgain(): boolean {
  const { lastJoin, pieces, props, join, slip, selected, set } = useStage.getState();
  const last = lastJoin && pieces.get(lastJoin.made);
  if (!lastJoin || !last || selected.length || slip.prop !== lastJoin.prop) return false;
  if (!props.get(last.prop)?.seats.some((s) => s.name === lastJoin.toSeat)) return false;
  void make({
    kind: "join",
    prop: lastJoin.prop,
    seat: lastJoin.seat,
    to: last.key,
    to_seat: lastJoin.toSeat,
    turn_deg: join.turn,
    flip: join.flip,
    keep: join.keep,
  }).then((change) => {
    const made = change && piecesOf(change.deltas)[0]?.[0];
    if (made) set({ lastJoin: { ...lastJoin, made }, note: change.words });
  });
  return true;
}
