import type { Job } from "../api/client";
import { QuietButton } from "../ui/buttons";
import { useParts } from "../state";
import { discard, takeUp } from "./beginning";

/** What was done before the page was opened and is neither adopted nor discarded. */
export function WaitingWord({ kind }: { kind: Job["kind"] }) {
  const { waiting } = useParts("waiting");
  const first = waiting.find((job) => job.kind === kind);
  if (!first) return null;
  const pieces = first.outcomes[0]?.poses.length ?? 0;
  const trials = first.outcomes.length > 1 ? `, in ${first.outcomes.length} trials` : "";
  return (
    <div className="mt-2 border-l-4 border-clay pl-2">
      <p>
        {kind === "pour" ? "An earlier pour" : "An earlier settling"} of{" "}
        <span className="figure">{pieces} pieces</span>
        {trials} waits to be adopted.
      </p>
      <p className="flex gap-x-4">
        <QuietButton onClick={() => takeUp(first)}>Look at it</QuietButton>
        <QuietButton onClick={() => void discard(first.key)}>Discard</QuietButton>
      </p>
    </div>
  );
}
