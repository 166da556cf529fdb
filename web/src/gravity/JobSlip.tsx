import type { Job, Outcome } from "../api/client";
import { ActionButton, QuietButton } from "../ui/buttons";
import { adopt } from "../stage/making";
import { useParts, useStage } from "../state";
import type { Outrun } from "../state/jobs";
import { discard } from "./beginning";

/** What a job does now, in words. */
function progress({ phase, count, total, share }: Job): string {
  if (phase === "waiting") return "waiting for its turn";
  if (phase === "trying") return `${count} of ${total} trials are done`;
  if (phase === "making contact shapes") return `making contact shapes, ${count} of ${total}`;
  if (phase === "finishing") return `finishing exactly, ${Math.round(share * 100)} %`;
  return `${phase}, ${Math.round(share * 100)} %`;
}

/** What gravity is doing, and then what came of it: adopt all, some or nothing. */
export function JobSlip() {
  const { settle, selected, job, trial, pieces, select, enough, outrun } = useParts(
    "outrun",
    "settle",
    "selected",
    "job",
    "trial",
    "pieces",
    "select",
    "enough",
  );
  const outcome = job && trial !== null ? job.outcomes[trial] : undefined;
  if (!job) return null;
  if (job.kind === "fill")
    return (
      <p>
        Several ways to fill a bay are being looked at.{" "}
        <QuietButton onClick={() => useStage.getState().setVerb(job.kind)}>See them</QuietButton>
      </p>
    );
  if (job.state === "running") {
    const pouring = job.phase === "pouring";
    const shoving = settle.hand !== "no" && job.phase === "settling";
    return (
      <div>
        <p role="status">
          {pouring && (
            <strong className="figure">
              poured {job.count} of {job.total}.{" "}
            </strong>
          )}
          {pouring &&
            "Hold the pointer down on the stage, and the stream follows it; Enter pours in the middle. "}
          {shoving && "Drag pieces on the stage, and throw them by letting go; Esc lets go, too. "}
          {!pouring && !shoving && <span className="figure">{progress(job)}. </span>}
          <span className="text-quiet">The set stays as it is until you adopt what comes of it.</span>
        </p>
        <p className="mt-2">
          {pouring || shoving ? (
            <span className="flex items-baseline gap-4">
              <ActionButton onClick={() => enough()}>Enough, let it lie</ActionButton>
              <QuietButton onClick={() => void discard()}>Discard</QuietButton>
            </span>
          ) : (
            <ActionButton onClick={() => void discard()}>Stop</ActionButton>
          )}
        </p>
      </div>
    );
  }
  if (!outcome) return null;
  const some = selected.filter((k) => outcome.poses.some((p) => p.key === k));
  const nameOf = (key: string) =>
    pieces.get(key)?.name ?? outcome.born.find((p) => p.key === key)?.name ?? key;
  // Named are others, too, that did not fall and lost what carried them.
  const fell = new Set(outcome.poses.map((p) => p.key));
  const right = outcome.poses.length - outcome.named.filter((n) => fell.has(n.key)).length;
  return (
    <div>
      <p aria-live="polite">
        <strong>{outcome.poses.length} pieces</strong> lie still{broken(outcome)},{" "}
        {outcome.named.length === 0
          ? "every one in exact contact and in balance."
          : `${right} of them in exact contact and in balance. Not right:`}
      </p>
      <ul className="max-h-28 overflow-auto text-[13.5px] leading-snug text-quiet">
        {outcome.named.map((n) => (
          <li key={n.key}>
            <button type="button" className="text-left hover:text-clay-deep" onClick={() => select([n.key])}>
              <span className="text-ink">{nameOf(n.key)}</span> {n.reason}
            </button>
          </li>
        ))}
        {outcome.whole.map((w) => (
          <li key={w.name}>
            <span className="text-ink">{w.name}</span> was struck hard enough but stays whole: {w.reason}
          </li>
        ))}
      </ul>
      {outrun?.job === job.key && outrun.trial === trial && <OutrunWord outrun={outrun} outcome={outcome} />}
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1.5">
        <ActionButton onClick={() => void adopt(job.key, trial ?? 0, null)}>
          {job.outcomes.length > 1 ? "Adopt this one" : "Adopt"}
        </ActionButton>
        <QuietButton
          onClick={() => void adopt(job.key, trial ?? 0, some)}
          disabled={some.length === 0}
          why="Press on pieces, or sweep over them, to adopt only those."
        >
          {`Adopt only the ${some.length || ""} selected`}
        </QuietButton>
        <QuietButton onClick={() => void discard()}>Discard</QuietButton>
      </p>
    </div>
  );
}

/** The set has changed under an outcome: it is adopted all the same, or without what was changed. */
function OutrunWord({ outrun, outcome }: { outrun: Outrun; outcome: Outcome }) {
  const { job, trial, keys, words, pieces } = outrun;
  const others = (keys ?? outcome.poses.map((p) => p.key)).filter((key) => !pieces.includes(key));
  return (
    <div role="alert" className="mt-2 border-l-4 border-clay pl-2">
      <p className="first-letter:uppercase">{words}.</p>
      <p className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
        <QuietButton onClick={() => void adopt(job, trial, keys, true)}>Adopt all the same</QuietButton>
        {pieces.length > 0 && others.length > 0 && (
          <QuietButton onClick={() => void adopt(job, trial, others)}>
            Leave {pieces.length === 1 ? "it" : `those ${pieces.length}`} out
          </QuietButton>
        )}
      </p>
    </div>
  );
}

function broken({ born, files, gone }: Outcome): string {
  if (gone.length === 0) return "";
  const shards = born.filter((p) => p.prop in files).length;
  return `, ${shards} of them shards of the ${gone.length} that broke`;
}
