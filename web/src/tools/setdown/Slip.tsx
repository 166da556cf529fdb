import { limits } from "../../api/limits";
import { useState } from "react";

import { useParts } from "../../state";
import { PLAIN_SLIP } from "../../state/tools";
import { inDegrees, inLength, inPercent } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { QuietButton } from "../../ui/buttons";

export function SetDownSlip() {
  const { slip, setSlip, props, note } = useParts("slip", "setSlip", "props", "note");
  const [more, setMore] = useState(false);
  const prop = slip.prop ? props.get(slip.prop) : undefined;
  if (!prop)
    return (
      <p>
        Choose a prop from the trolley below, then point at any surface: it stands there at once, touching.
        Press, and it stays.
      </p>
    );
  return (
    <div>
      <p aria-live="polite">
        Set down <strong className="text-clay-deep">{prop.name}</strong> on anything,{" "}
        <ChoiceWord
          label="touch side"
          value={slip.side}
          onChange={(side) => setSlip({ side })}
          choices={[
            { value: "base", words: "base" },
            { value: "top", words: "upside down" },
            { value: "left", words: "left side" },
            { value: "right", words: "right side" },
            { value: "front", words: "front" },
            { value: "back", words: "back" },
          ]}
        />{" "}
        first, leaning{" "}
        <NumberWord
          label="lean"
          value={slip.lean}
          step={0.05}
          {...limits("PointSlip", "lean")}
          {...inPercent}
          onChange={(lean) => setSlip({ lean })}
        />
        {slip.lean > 0 && (
          <>
            {" "}
            to{" "}
            <ChoiceWord
              label="what it leans to"
              value={slip.follow}
              onChange={(follow) => setSlip({ follow })}
              choices={[
                { value: "ground", words: "the ground under it" },
                { value: "face", words: "the face" },
                { value: "smooth", words: "the smooth surface" },
              ]}
            />
          </>
        )}
        ,{" "}
        <NumberWord
          label="stand-off"
          value={slip.standOff}
          {...inLength}
          onChange={(standOff) => setSlip({ standOff, sink: 0 })}
        />{" "}
        off, turned{" "}
        <ChoiceWord
          label="turn"
          value={slip.turn !== null ? "set" : slip.next}
          onChange={(v) =>
            setSlip(v === "set" ? { turn: 0 } : { turn: null, next: v === "kept" ? "kept" : "varied" })
          }
          choices={[
            { value: "varied", words: "any way" },
            { value: "kept", words: "as the last one" },
            { value: "set", words: "by" },
          ]}
        />
        {slip.turn !== null && (
          <>
            {" "}
            <NumberWord
              label="angle"
              value={slip.turn}
              step={5}
              min={-360}
              max={360}
              {...inDegrees}
              onChange={(turn) => setSlip({ turn })}
            />
          </>
        )}
        {(more || slip.front !== 0) && (
          <>
            , its{" "}
            <ChoiceWord
              label="what faces the pointer when aimed"
              value={String(slip.front)}
              onChange={(v) => setSlip({ front: Number(v) })}
              choices={[
                { value: "0", words: "front" },
                { value: "90", words: "left side" },
                { value: "180", words: "back" },
                { value: "-90", words: "right side" },
              ]}
            />{" "}
            aimed
          </>
        )}
        {(more || slip.sink > 0) && (
          <>
            , bedded{" "}
            <NumberWord
              label="sink"
              value={slip.sink}
              {...inLength}
              onChange={(sink) => setSlip({ sink, standOff: 0 })}
            />{" "}
            deep
          </>
        )}
        {(more || slip.size !== 1) && (
          <>
            , sized{" "}
            <NumberWord
              label="size"
              value={slip.size}
              step={0.05}
              {...limits("PointSlip", "size")}
              {...inPercent}
              onChange={(size) => setSlip({ size })}
            />
          </>
        )}
        {(more || slip.vary > 0) && (
          <>
            , each copy varied by{" "}
            <NumberWord
              label="how much sizes and proportions vary"
              value={slip.vary}
              step={0.01}
              min={0}
              max={0.5}
              {...inPercent}
              onChange={(vary) => setSlip({ vary })}
            />
          </>
        )}
        .
      </p>
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
        {!more && <QuietButton onClick={() => setMore(true)}>More…</QuietButton>}
        <QuietButton
          onClick={() => {
            setMore(false);
            setSlip({ ...PLAIN_SLIP, prop: slip.prop });
          }}
        >
          Plain again
        </QuietButton>
      </p>
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet" aria-live="polite">
        {note}
      </p>
    </div>
  );
}
