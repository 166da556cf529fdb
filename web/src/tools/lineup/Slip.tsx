import { inCount, inLength } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { useParts } from "../../state";
import type { LineUpSlip as Sentence, Side } from "../../state/relations";
import { ActionButton, QuietButton } from "../../ui/buttons";
import { SIDE_WORDS, lineUpMove, pairsOf } from "./moves";

function SideWord(props: {
  label: string;
  value: Side;
  axis: Sentence["axis"];
  onChange: (side: Side) => void;
}) {
  const words = SIDE_WORDS[props.axis];
  return (
    <ChoiceWord
      label={props.label}
      value={props.value}
      onChange={props.onChange}
      choices={[
        { value: "low", words: words.low },
        { value: "middle", words: "the middle" },
        { value: "high", words: words.high },
        { value: "touch", words: "the touch point" },
      ]}
    />
  );
}

export function LineUpSlip({ enter }: { enter: () => void }) {
  const { lineUp, setLineUp, note, selected, pieces, target, picked, set, held } = useParts(
    "lineUp",
    "setLineUp",
    "note",
    "selected",
    "pieces",
    "target",
    "picked",
    "set",
    "held",
  );
  const chosen = selected.map((k) => pieces.get(k)).filter((p) => p !== undefined);
  if (!chosen.length)
    return (
      <div>
        <p>Press on the piece that is to be lined up; then on what it is lined up with.</p>
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const names = chosen.length === 1 ? chosen[0]!.name : `${chosen.length} pieces`;
  const other = pieces.get(target ?? "")?.name;
  const move = lineUpMove();
  const gap = (
    <NumberWord
      label="gap"
      value={lineUp.gap}
      {...inLength}
      max={20}
      onChange={(v) => setLineUp({ gap: v })}
    />
  );
  const pairs = pairsOf(picked).length;
  return (
    <div>
      <p>
        Line up{" "}
        <ChoiceWord
          label="by what"
          value={lineUp.way}
          onChange={(way) => setLineUp({ way })}
          choices={[
            { value: "sides", words: "a side" },
            { value: "points", words: "up to three points" },
            { value: "edges", words: "an edge" },
            { value: "hang", words: "hanging, the top" },
            { value: "row", words: "in a row, copies" },
          ]}
        />
        {lineUp.way === "sides" && (
          <>
            ,{" "}
            <SideWord
              label="which side of it"
              value={lineUp.mine}
              axis={lineUp.axis}
              onChange={(mine) => setLineUp({ mine })}
            />
          </>
        )}{" "}
        of <strong>{names}</strong>
        {lineUp.way === "sides" && (
          <>
            {" "}
            with{" "}
            <SideWord
              label="which side of the other"
              value={lineUp.theirs}
              axis={lineUp.axis}
              onChange={(theirs) => setLineUp({ theirs })}
            />{" "}
            of {other ? <strong>{other}</strong> : <span className="text-quiet">what you press next</span>},{" "}
            <ChoiceWord
              label="along which axis"
              value={lineUp.axis}
              onChange={(axis) => setLineUp({ axis })}
              choices={[
                { value: "across", words: "across" },
                { value: "up", words: "up" },
                { value: "along", words: "along" },
              ]}
            />{" "}
            <ChoiceWord
              label="square to what"
              value={lineUp.squareTo}
              onChange={(squareTo) => setLineUp({ squareTo })}
              choices={[
                { value: "world", words: "the set" },
                { value: "target", words: "square to it" },
              ]}
            />{" "}
            only, {gap} apart
            {chosen.length > 1 && (
              <>
                ,{" "}
                <ChoiceWord
                  label="how several are lined up"
                  value={lineUp.mode}
                  onChange={(mode) => setLineUp({ mode })}
                  choices={[
                    { value: "each", words: "each by itself" },
                    { value: "together", words: "together" },
                    { value: "spread", words: "spread evenly" },
                  ]}
                />
              </>
            )}
            ,{" "}
            <ChoiceWord
              label="whether it is kept so"
              value={lineUp.keep ? "kept" : "once"}
              onChange={(v) => setLineUp({ keep: v === "kept" })}
              choices={[
                { value: "once", words: "this once" },
                { value: "kept", words: "and keep it so" },
              ]}
            />
          </>
        )}
        {lineUp.way === "hang" && (
          <>
            {" "}
            under {other ? <strong>{other}</strong> : <span className="text-quiet">what you press next</span>}
          </>
        )}
        {lineUp.way === "points" && (
          <>
            {" "}
            with where {picked.length % 2 === 0 ? "they go" : "this one goes"}: {pairs || "no"}{" "}
            {pairs === 1 ? "pair" : "pairs"} so far
          </>
        )}
        {lineUp.way === "edges" && <> beside another edge, {gap} apart</>}
        {lineUp.way === "row" && (
          <>
            {" "}
            along {picked.length ? (
              "that edge"
            ) : (
              <span className="text-quiet">the edge you press next</span>
            )},{" "}
            <NumberWord
              label="how many in the row"
              value={lineUp.count}
              min={1}
              max={200}
              {...inCount}
              onChange={(count) => setLineUp({ count })}
            />{" "}
            of them,{" "}
            <NumberWord
              label="distance from the edge"
              value={lineUp.gap}
              {...inLength}
              min={-20}
              max={20}
              onChange={(v) => setLineUp({ gap: v })}
            />{" "}
            to its left
          </>
        )}
        .
      </p>
      <p className="mt-2 flex flex-wrap items-baseline gap-x-3.5 gap-y-1">
        <ActionButton onClick={enter} disabled={!move} why="Press what it is lined up with first.">
          Line up
        </ActionButton>
        {picked.length > 0 && <QuietButton onClick={() => set({ picked: [] })}>Pick anew</QuietButton>}
        <QuietButton onClick={() => set({ held: !held })}>{held ? "Let go" : "Hold selection"}</QuietButton>
      </p>
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet" aria-live="polite">
        {note}
      </p>
    </div>
  );
}
