import { limits } from "../../api/limits";
import { beginSettle, leaveOutOfSettle } from "../../gravity/beginning";
import { useParts } from "../../state";
import { whyNotSettle } from "./enter";
import { BreaksWord } from "../../gravity/BreaksWord";
import { JobSlip } from "../../gravity/JobSlip";
import { LackingWord } from "../../gravity/LackingWord";
import { WaitingWord } from "../../gravity/WaitingWord";
import { inCount, inLength, inPercent } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { ActionButton } from "../../ui/buttons";

export function SettleSlip() {
  const { settle, setSettle, selected, job, note, lacking } = useParts(
    "settle",
    "setSettle",
    "selected",
    "job",
    "note",
    "lacking",
  );
  if (job) return <JobSlip />;
  const why = whyNotSettle();
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
          {...limits("SettleAsked", "lift")}
          step={0.01}
          onChange={(lift) => setSettle({ lift })}
        />
        , shaken by{" "}
        <NumberWord
          label="jitter"
          value={settle.jitter}
          {...inLength}
          {...limits("SettleAsked", "jitter")}
          onChange={(jitter) => setSettle({ jitter })}
        />
        ,{" "}
        <NumberWord
          label="calmness"
          value={settle.calm}
          step={0.05}
          {...limits("SettleAsked", "calm")}
          {...inPercent}
          onChange={(calm) => setSettle({ calm })}
        />{" "}
        calm, with seed{" "}
        <NumberWord
          label="seed"
          value={settle.seed}
          {...limits("SettleAsked", "seed")}
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
              {...limits("SettleAsked", "trials")}
              {...inCount}
              onChange={(trials) => setSettle({ trials })}
            />{" "}
            {settle.trials === 1 ? "trial" : "trials, side by side"}
          </>
        )}
        , <BreaksWord value={settle.breaks} onChange={(breaks) => setSettle({ breaks })} />.
      </p>
      {lacking.length > 0 ? (
        <LackingWord begin={beginSettle} leaveOut={leaveOutOfSettle} />
      ) : (
        <p className="mt-2">
          <ActionButton onClick={() => void beginSettle()} disabled={why !== null} why={why ?? undefined}>
            Settle
          </ActionButton>
        </p>
      )}
      <WaitingWord kind="settle" />
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
    </div>
  );
}
