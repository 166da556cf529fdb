/** What keys do while join is in hand. */
import { make } from "../../stage/making";
import { useStage } from "../../state";
import { carriedNow } from "./carrying";

const USUAL_STEP = 15;

/** Take what is carried by its next seat. */
export function nextSeat(): void {
  const { join, setJoin, set } = useStage.getState();
  const carried = carriedNow();
  if (!carried?.seats.length) return set({ note: "choose a prop or a piece that has seats first" });
  const now = carried.seats.findIndex((s) => s.name === join.seat);
  const next = carried.seats[(now + 1) % carried.seats.length]!;
  setJoin({ seat: next.name });
  set({ note: `taken by ${next.name}` });
}

/** Turn what is carried in the seat that it goes to, or what is joined already in the one that it is in, by the seat's step. */
export function turnInSeat(left: boolean): true {
  const { join, setJoin, ties, pieces, props, selected } = useStage.getState();
  const carried = carriedNow();
  const tie = [...ties.values()].find(
    (t) => t.tie === "join" && carried?.piece && (t.piece === carried.piece || t.to === carried.piece),
  );
  if (tie && selected.length) {
    void make({ kind: "turn_joint", piece: carried!.piece!, steps: left ? 1 : -1 });
    return true;
  }
  const seats = props.get(pieces.get(carried?.piece ?? "")?.prop ?? carried?.prop ?? "")?.seats ?? [];
  const step = (seats.find((s) => s.name === join.seat) ?? seats[0])?.step_deg || USUAL_STEP;
  setJoin({ turn: (join.turn + (left ? step : -step)) % 360 });
  return true;
}
