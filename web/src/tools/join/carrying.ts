/** What is carried while joining: a new copy from the trolley, or the piece that is selected with all it is joined to. */
import type { Move, Pose } from "../../api/client";
import {
  type PlacedSeat,
  type Seat,
  bodyOf,
  freeSeats,
  goesWith,
  inWorld,
  joiningRotation,
  takenSeats,
} from "../../seats/frames";
import { useStage } from "../../state";

export interface Carried {
  /** The prop that is joined. */
  prop: string;
  /** The piece that stands already; null for a new copy. */
  piece: string | null;
  name: string;
  /** Its seats that are free. */
  seats: Seat[];
}

export function carriedNow(): Carried | null {
  const { slip, selected, pieces, props, ties } = useStage.getState();
  const standing = pieces.get(selected[0] ?? "");
  if (standing && standing.role === "prop") {
    const taken = takenSeats(ties.values()).get(standing.key);
    const seats = (props.get(standing.prop)?.seats ?? []).filter((s) => s.many || !taken?.has(s.name));
    return { prop: standing.prop, piece: standing.key, name: standing.name, seats };
  }
  const prop = props.get(slip.prop ?? "");
  return prop ? { prop: prop.key, piece: null, name: prop.name, seats: prop.seats } : null;
}

const AT_HOME = { position: [0, 0, 0], orientation: [0, 0, 0, 1], scale: [1, 1, 1] } satisfies Pose;
/** Metres within which another of its seats meets one that is open. */
const MEETS = 1e-4;

/** The seat by which it may be taken, without looking where it goes: the chosen one, or the first that goes with the target. */
export function ownSeat(carried: Carried, target: Seat | null): Seat | null {
  const { join } = useStage.getState();
  const chosen = carried.seats.find((s) => s.name === join.seat);
  if (chosen) return target && !goesWith(chosen, target) ? null : chosen;
  return carried.seats.find((s) => !target || goesWith(s, target)) ?? null;
}

/** The seat by which it fits best: most of its other seats meet open ones, and it is turned least. */
export function bestSeat(carried: Carried, target: PlacedSeat, open: PlacedSeat[]): Seat | null {
  const { join, pieces } = useStage.getState();
  if (join.seat !== null) return ownSeat(carried, target.seat);
  const pose = pieces.get(carried.piece ?? "")?.pose ?? AT_HOME;
  const frames = carried.seats.map((seat) => inWorld(seat, pose));
  let best: { seat: Seat; met: number; upright: number } | null = null;
  carried.seats.forEach((seat, i) => {
    if (!goesWith(seat, target.seat)) return;
    const mine = frames[i]!;
    const rotation = joiningRotation(mine, target, join.turn, join.flip);
    const met = frames.filter((other, k) => {
      if (k === i) return false;
      const point = other.point.clone().sub(mine.point).applyQuaternion(rotation).add(target.point);
      const facing = other.facing.clone().applyQuaternion(rotation);
      return open.some((o) => o.point.distanceTo(point) < MEETS && o.facing.dot(facing) < -0.999);
    }).length;
    const upright = Math.abs(rotation.w);
    if (!best || met > best.met || (met === best.met && upright > best.upright + 1e-6))
      best = { seat, met, upright };
  });
  return (best as { seat: Seat } | null)?.seat ?? null;
}

/** Free seats of others that it can be joined to. */
export function targets(carried: Carried): PlacedSeat[] {
  const { pieces, props, ties } = useStage.getState();
  const own = carried.piece ? bodyOf(carried.piece, ties.values()) : new Set<string>();
  return freeSeats(pieces, props, ties.values()).filter(
    (placed) => !own.has(placed.piece) && ownSeat(carried, placed.seat) !== null,
  );
}

export type JoinMove = Extract<Move, { kind: "join" }>;

/** The move that joins it to a seat, one of those that are `open`. */
export function joinTo(carried: Carried, to: PlacedSeat, open: PlacedSeat[]): JoinMove {
  const { join } = useStage.getState();
  return {
    kind: "join",
    ...(carried.piece ? { piece: carried.piece } : { prop: carried.prop }),
    seat: bestSeat(carried, to, open)?.name ?? "",
    to: to.piece,
    to_seat: to.seat.name,
    turn_deg: join.turn,
    flip: join.flip,
    keep: join.keep,
  };
}
