import { useStage } from "../../state";
import type { Tool } from "../tool";
import { nextSeat, turnInSeat } from "./keys";
import { JoinPointer } from "./pointer";
import { JoinSlip } from "./Slip";

export const join: Tool = {
  verb: "join",
  key: "3",
  group: "one by one",
  Slip: JoinSlip,
  pointer: (stage) => new JoinPointer(stage),
  onPropChosen: (prop) => {
    const { select, setSlip, setJoin } = useStage.getState();
    // A new copy is joined: nothing that stands is carried any more.
    select([]);
    setSlip({ prop: prop.key });
    setJoin({ seat: null, turn: 0 });
  },
  takes: (prop, { slip }) => slip.prop === prop,
  backOut: () => {
    const { slip, setSlip } = useStage.getState();
    if (slip.prop === null) return false;
    setSlip({ prop: null });
    return true;
  },
  turn: turnInSeat,
  commands: [
    {
      id: "next seat",
      words: "while joining: take it by its next seat",
      keys: ["e"],
      shown: "E",
      lacking: () => (useStage.getState().verb === join.verb ? null : "take join in hand first"),
      run: nextSeat,
      repeats: true,
    },
  ],
};
