/** Bearers in hand: while a key is held, or from a tap of it to the next. */
import { useStage } from "../state";

let before = false;

export const BEARERS = {
  run: () => {
    before = useStage.getState().bearersInHand;
    useStage.getState().set({ bearersInHand: true });
  },
  letGo: (held: boolean) => {
    if (held || before) useStage.getState().set({ bearersInHand: false });
  },
};
