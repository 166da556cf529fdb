import { toast } from "sonner";

import { type Job, ServerError, client, wanted } from "../api/client";
import { adopt } from "../stage/making";
import { useParts, useStage } from "../stage/store";
import { inCount, inLength, inPercent } from "./figures";
import { ActionButton, ChoiceWord, NumberWord, QuietButton } from "./words";

async function begin(): Promise<void> {
  const { key, settle, selected, pieces, set } = useStage.getState();
  if (!key) return;
  const loose = [...pieces.values()].filter((p) => p.role === "prop" && !p.spiked && p.direction[1] < -0.5);
  const chosen = settle.what === "loose" ? loose : loose.filter((p) => selected.includes(p.key));
  const { lift, jitter, calm, seed } = settle;
  const hand = settle.hand !== "no";
  // A hand cannot be in several trials at once, and a shove has no end of its own.
  const rest = hand ? { hand, trials: 1, seconds: 600 } : { trials: settle.trials };
  const body = { keys: chosen.map((p) => p.key), lift, jitter, calm, seed, ...rest };
  set({ note: null });
  try {
    const job = await wanted<Job>(client.POST("/api/sets/{key}/settle", { params: { path: { key } }, body }));
    if (!useStage.getState().job) set({ job });
  } catch (error) {
    toast.error(error instanceof ServerError ? error.message : String(error));
  }
}

/** Stop a run, or throw away what came of it. */
export async function discard(): Promise<void> {
  const { key, job, set } = useStage.getState();
  if (!key || !job) return;
  set({ job: null, trial: null });
  try {
    await wanted(client.DELETE("/api/sets/{key}/jobs/{job}", { params: { path: { key, job: job.key } } }));
  } catch {
    // It has ended by itself meanwhile; there is nothing left to discard.
  }
}

export function SettleSlip() {
  const { settle, setSettle, selected, job, trial, note, pieces, select, enough } = useParts(
    "settle",
    "setSettle",
    "selected",
    "job",
    "trial",
    "note",
    "pieces",
    "select",
    "enough",
  );
  const outcome = job && trial !== null ? job.outcomes[trial] : undefined;
  const some = selected.filter((k) => outcome?.poses.some((p) => p.key === k));
  if (job?.state === "running")
    return (
      <div>
        <p role="status">
          {settle.hand !== "no" && job.words === "settling" ? (
            "Drag pieces on the stage, and throw them by letting go. "
          ) : (
            <>
              {job.words}, <span className="figure">{Math.round(job.share * 100)} %</span>.{" "}
            </>
          )}
          <span className="text-quiet">The set stays as it is until you adopt what comes of it.</span>
        </p>
        <p className="mt-2">
          {settle.hand !== "no" ? (
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
  if (job && outcome)
    return (
      <div>
        <p aria-live="polite">
          <strong>{outcome.poses.length} pieces</strong> lie still,{" "}
          {outcome.named.length === 0
            ? "every one in exact contact and in balance."
            : `${outcome.poses.length - outcome.named.length} of them in exact contact and in balance. Not right:`}
        </p>
        <ul className="max-h-28 overflow-auto text-[13.5px] leading-snug text-quiet">
          {outcome.named.map((n) => (
            <li key={n.key}>
              <button
                type="button"
                className="text-left hover:text-clay-deep"
                onClick={() => select([n.key])}
              >
                <span className="text-ink">{pieces.get(n.key)?.name}</span> {n.reason}
              </button>
            </li>
          ))}
        </ul>
        <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1.5">
          <ActionButton onClick={() => void adopt(job.key, trial ?? 0, null)}>
            {job.outcomes.length > 1 ? "Adopt this one" : "Adopt"}
          </ActionButton>
          <QuietButton
            onClick={() => void adopt(job.key, trial ?? 0, some)}
            disabled={some.length === 0}
            why="Select some of the pieces that were settled."
          >
            {`Adopt only the ${some.length || ""} selected`}
          </QuietButton>
          <QuietButton onClick={() => void discard()}>Discard</QuietButton>
        </p>
      </div>
    );
  return (
    <div>
      <p>
        Let gravity act on{" "}
        <ChoiceWord
          label="what falls"
          value={settle.what}
          onChange={(what) => setSettle({ what })}
          choices={[
            { value: "selected", words: `what is selected (${selected.length})` },
            { value: "loose", words: "everything loose" },
          ]}
        />
        , lifted{" "}
        <NumberWord
          label="lift"
          value={settle.lift}
          {...inLength}
          step={0.01}
          onChange={(lift) => setSettle({ lift })}
        />
        , shaken by{" "}
        <NumberWord
          label="jitter"
          value={settle.jitter}
          {...inLength}
          max={0.5}
          onChange={(jitter) => setSettle({ jitter })}
        />
        ,{" "}
        <NumberWord
          label="calmness"
          value={settle.calm}
          step={0.05}
          min={0}
          max={1}
          {...inPercent}
          onChange={(calm) => setSettle({ calm })}
        />{" "}
        calm, with seed{" "}
        <NumberWord
          label="seed"
          value={settle.seed}
          min={0}
          max={1_000_000}
          {...inCount}
          onChange={(seed) => setSettle({ seed })}
        />
        ,{" "}
        <ChoiceWord
          label="hand"
          value={settle.hand}
          onChange={(hand) => setSettle({ hand })}
          choices={[
            { value: "no", words: "left alone" },
            { value: "soft", words: "with a soft hand in it" },
            { value: "firm", words: "with a firm hand in it" },
          ]}
        />
        {settle.hand === "no" && (
          <>
            , in{" "}
            <NumberWord
              label="trials"
              value={settle.trials}
              min={1}
              max={12}
              {...inCount}
              onChange={(trials) => setSettle({ trials })}
            />{" "}
            {settle.trials === 1 ? "trial" : "trials, side by side"}
          </>
        )}
        .
      </p>
      <p className="mt-2">
        <ActionButton
          onClick={() => void begin()}
          disabled={settle.what === "selected" && selected.length === 0}
          why="Select the pieces that are to fall, or let everything loose fall."
        >
          Settle
        </ActionButton>
      </p>
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
    </div>
  );
}
