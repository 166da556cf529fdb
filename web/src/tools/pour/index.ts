import { useStage } from "../../state";
import type { Tool } from "../tool";
import { PourPointer } from "./pointer";
import { PourSlip } from "./Slip";

export const pour: Tool = {
  verb: "pour",
  key: "8",
  group: "many",
  Slip: PourSlip,
  pointer: (stage) => new PourPointer(stage),
  worksInJobs: () => useStage.getState().job?.state !== "done",
  onPropChosen: ({ key }) => {
    const { pour: now, setPour } = useStage.getState();
    const { props } = now;
    setPour({ props: props.includes(key) ? props.filter((k) => k !== key) : [...props, key] });
  },
  takes: (prop, state) => state.pour.props.includes(prop),
};
