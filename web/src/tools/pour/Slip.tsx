import { limits } from "../../api/limits";
import { beginPour, leaveOutOfPour } from "../../gravity/beginning";
import { useParts } from "../../state";
import { BreaksWord } from "../../gravity/BreaksWord";
import { JobSlip } from "../../gravity/JobSlip";
import { LackingWord } from "../../gravity/LackingWord";
import { WaitingWord } from "../../gravity/WaitingWord";
import { inCount, inLength, inPercent } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { ActionButton } from "../../ui/buttons";

const SIZES = { ...inPercent, step: 0.05, ...limits("PourAsked", "size") };

export function PourSlip() {
  const { pour, setPour, props, job, note, lacking } = useParts(
    "pour",
    "setPour",
    "props",
    "job",
    "note",
    "lacking",
  );
  if (job) return <JobSlip />;
  if (pour.props.length === 0)
    return (
      <div>
        <p>
          Choose one prop or several from the trolley below, then hold the pointer down on the stage: they
          pour from just above it and come to rest among what is there.
        </p>
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const names = pour.props.map((k) => props.get(k)?.name ?? k);
  return (
    <div>
      <p>
        Pour <strong className="text-clay-deep">{inList(names)}</strong>,{" "}
        <NumberWord
          label="how many a second"
          value={pour.rate}
          {...inCount}
          {...limits("PourAsked", "rate")}
          onChange={(rate) => setPour({ rate })}
        />{" "}
        a second,{" "}
        <NumberWord
          label="how many in all"
          value={pour.most}
          {...inCount}
          step={10}
          {...limits("PourAsked", "most")}
          onChange={(most) => setPour({ most })}
        />{" "}
        in all, sized from{" "}
        <NumberWord label="smallest" value={pour.from} {...SIZES} onChange={(from) => setPour({ from })} /> to{" "}
        <NumberWord label="largest" value={pour.to} {...SIZES} onChange={(to) => setPour({ to })} />,{" "}
        <ChoiceWord
          label="order"
          value={pour.largeFirst ? "large" : "any"}
          onChange={(v) => setPour({ largeFirst: v === "large" })}
          choices={[
            { value: "any", words: "in any order" },
            { value: "large", words: "the small round the large" },
          ]}
        />
        ,{" "}
        <ChoiceWord
          label="turn"
          value={pour.tumbled ? "any" : "upright"}
          onChange={(v) => setPour({ tumbled: v === "any" })}
          choices={[
            { value: "any", words: "turned any way" },
            { value: "upright", words: "upright" },
          ]}
        />
        , within{" "}
        <NumberWord
          label="spread"
          value={pour.spread}
          {...inLength}
          step={0.02}
          {...limits("PourAsked", "spread")}
          onChange={(spread) => setPour({ spread })}
        />{" "}
        of the pointer and from{" "}
        <NumberWord
          label="height of fall"
          value={pour.fall}
          {...inLength}
          {...limits("PourAsked", "fall")}
          step={0.02}
          onChange={(fall) => setPour({ fall })}
        />{" "}
        above it,{" "}
        <NumberWord
          label="calmness"
          value={pour.calm}
          step={0.05}
          {...limits("PourAsked", "calm")}
          {...inPercent}
          onChange={(calm) => setPour({ calm })}
        />{" "}
        calm, <BreaksWord value={pour.breaks} onChange={(breaks) => setPour({ breaks })} />.
      </p>
      {lacking.length > 0 ? (
        <LackingWord begin={beginPour} leaveOut={leaveOutOfPour} />
      ) : (
        <p className="mt-2">
          <ActionButton onClick={() => void beginPour()}>Be ready to pour</ActionButton>
        </p>
      )}
      <WaitingWord kind="pour" />
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet">
        {note ?? "or hold the pointer down on the stage at once"}
      </p>
    </div>
  );
}

function inList(names: string[]): string {
  if (names.length < 3) return names.join(" and ");
  return `${names.slice(0, -1).join(", ")} and ${names.at(-1)}`;
}
