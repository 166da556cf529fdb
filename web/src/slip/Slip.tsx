/** The settings of a verb, written as one sentence whose underlined words are the controls. */
import { useStage } from "../stage/store";
import { BuildSlip } from "./BuildSlip";
import { LookOverSlip } from "./LookOverSlip";
import { PourSlip } from "./PourSlip";
import { RepairSlip } from "./RepairSlip";
import { SetDownSlip } from "./SetDownSlip";
import { SettleSlip } from "./SettleSlip";

function MeasureSlip() {
  const note = useStage((s) => s.note);
  return (
    <div>
      <p>Press on one point and drag to another; corners of meshes are caught when they are close.</p>
      <p className="figure mt-1 min-h-5 font-semibold" aria-live="polite">
        {note}
      </p>
    </div>
  );
}

/** As tall whatever it says, so that the trolley under it never jumps. `middle`: the point of the set in the middle of the view. */
export function Slip({ middle }: { middle: () => [number, number, number] }) {
  const verb = useStage((s) => s.verb);
  return (
    <section
      aria-label="Slip"
      className="h-[clamp(220px,46vh,460px)] shrink-0 overflow-y-auto border-b border-rule px-4 py-3 leading-relaxed"
    >
      {verb === "set down" && <SetDownSlip />}
      {verb === "look over" && <LookOverSlip />}
      {verb === "repair" && <RepairSlip />}
      {verb === "build" && <BuildSlip middle={middle} />}
      {verb === "measure" && <MeasureSlip />}
      {verb === "settle" && <SettleSlip />}
      {verb === "pour" && <PourSlip />}
    </section>
  );
}
