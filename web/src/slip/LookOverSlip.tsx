import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";

import type { Move, Piece } from "../api/client";
import { STATE_ORDER, isFault } from "../fit/Glyph";
import { inWords } from "../fit/units";
import { make, mend } from "../stage/making";
import { ofSameProp, ofState, onSameBearer, withWhatRestsOn } from "../stage/selecting";
import { type Movement, STEPS } from "../stage/steps";
import { useParts } from "../stage/store";
import { inDegrees, inLength, inPercent } from "./figures";
import { ActionButton, ChoiceWord, NumberWord, QuietButton } from "./words";

const SPIKED = "It is spiked; free it first.";

/** Pick whole families, starting from what is selected. */
function SelectMenu() {
  const { selected, pieces, fits, select } = useParts("selected", "pieces", "fits", "select");
  const entries: [string, () => string[]][] = selected.length
    ? [
        ["all copies of this prop", () => ofSameProp(selected, pieces)],
        ["all on the same bearer", () => onSameBearer(selected, pieces, fits)],
        ["what rests on it, too", () => withWhatRestsOn(selected, fits)],
      ]
    : [["everything loose", () => [...fits.keys()]]];
  for (const state of STATE_ORDER) {
    const found = ofState(state, fits);
    if (found.length) entries.push([`all ${state} (${found.length})`, () => found]);
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="border-b-[1.5px] border-quiet text-[14px] hover:border-clay hover:text-clay-deep">
        Select…
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-20 min-w-44 rounded-sm border border-rule bg-card py-1 shadow-md"
        >
          {entries.map(([words, run]) => (
            <DropdownMenu.Item
              key={words}
              onSelect={() => select(run())}
              className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-wash"
            >
              {words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function StepWord({ kind }: { kind: Movement }) {
  const { steps, setSteps } = useParts("steps", "setSteps");
  return (
    <ChoiceWord
      label={`step of ${kind}`}
      value={String(steps[kind])}
      onChange={(v) => setSteps({ [kind]: Number(v) })}
      choices={STEPS[kind].map((s) => ({ value: String(s.size), words: s.words }))}
    />
  );
}

/** Figures for what the puck does by hand, and its steps. */
function Movements({ keys, first }: { keys: string[]; first: Piece }) {
  const { together, set, steps, tryOut } = useParts("together", "set", "steps", "tryOut");
  const several = keys.length > 1;
  const bed = first.sink - first.stand_off;
  /** A figure that is tried on the stage while it is scrubbed, and made when it is let go. */
  const made = (move: (value: number) => Move) => ({
    late: true,
    onChange: (value: number) => void make(move(value)),
    preview: (value: number | null) => tryOut(value === null ? null : move(value)),
  });
  const slide = (x: number, z: number): Move => ({ kind: "slide", pieces: keys, by: [x, 0, z], together });
  const length = { ...inLength, min: -100, max: 100, step: steps.slide || 0.001 };
  return (
    <>
      <p className="mt-1.5">
        {several && (
          <>
            Moved{" "}
            <ChoiceWord
              label="how several pieces move"
              value={together ? "together" : "each"}
              onChange={(v) => set({ together: v === "together" })}
              choices={[
                { value: "together", words: "together, as they stand" },
                { value: "each", words: "each seated on its own" },
              ]}
            />
            .{" "}
          </>
        )}
        Slide it <NumberWord label="slide across" value={0} {...length} {...made((v) => slide(v, 0))} />{" "}
        across, <NumberWord label="slide along" value={0} {...length} {...made((v) => slide(0, v))} /> along;
        turn it{" "}
        <NumberWord
          label="turn by"
          value={0}
          step={steps.turn || 1}
          min={-360}
          max={360}
          {...inDegrees}
          {...made((v) => ({ kind: "turn", pieces: keys, angle_deg: v, together }))}
        />
        ; size it{" "}
        <NumberWord
          label="size by"
          value={1}
          step={steps.size || 0.01}
          min={0.05}
          max={20}
          {...inPercent}
          {...made((factor) => ({ kind: "size", pieces: keys, factor, together }))}
        />
        ; it is meant to{" "}
        <ChoiceWord
          label="bedding"
          value={bed < 0 ? "off" : bed > 0 ? "in" : "touch"}
          onChange={(way) => {
            const amount = Math.max(0.005, Math.abs(bed));
            void make({
              kind: "bed",
              pieces: keys,
              sink: way === "off" ? -amount : way === "in" ? amount : 0,
            });
          }}
          choices={[
            { value: "touch", words: "touch" },
            { value: "in", words: "be bedded" },
            { value: "off", words: "keep off" },
          ]}
        />
        {bed !== 0 && (
          <>
            {" "}
            <NumberWord
              label={bed < 0 ? "stand-off" : "sink"}
              value={Math.abs(bed)}
              {...inLength}
              {...made((v) => ({ kind: "bed", pieces: keys, sink: bed < 0 ? -v : v }))}
            />
          </>
        )}
        .
      </p>
      <p className="mt-1 text-[13.5px] text-quiet">
        Steps: <StepWord kind="slide" />, <StepWord kind="turn" />, <StepWord kind="size" />,{" "}
        <StepWord kind="raise" /> up and down.
      </p>
    </>
  );
}

function Name({ piece }: { piece: Piece }) {
  const [writing, setWriting] = useState(false);
  if (!writing)
    return (
      <button
        type="button"
        className="text-left font-semibold hover:text-clay-deep"
        title="press to rename"
        onClick={() => setWriting(true)}
      >
        {piece.name}
      </button>
    );
  const done = (name: string) => {
    setWriting(false);
    if (name.trim() && name.trim() !== piece.name)
      void make({ kind: "rename", piece: piece.key, name: name.trim() });
  };
  return (
    <input
      autoFocus
      aria-label="name of the piece"
      defaultValue={piece.name}
      onFocus={(e) => e.target.select()}
      onBlur={(e) => done(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === "Enter") done(e.currentTarget.value);
        if (e.key === "Escape") setWriting(false);
      }}
      className="w-40 border-b border-ink bg-transparent font-semibold outline-none"
    />
  );
}

export function LookOverSlip() {
  const { selected, pieces, fits, props, note, held, set, select, setVerb, setSlip } = useParts(
    "selected",
    "pieces",
    "fits",
    "props",
    "note",
    "held",
    "set",
    "select",
    "setVerb",
    "setSlip",
  );
  const chosen = selected.map((k) => pieces.get(k)).filter((p) => p !== undefined);
  const first = chosen[0];
  if (!first)
    return (
      <div>
        <p>
          Press on a piece to measure how it sits; drag it, and it slides along what it touches. Sweep over
          several to select them.
        </p>
        <p className="mt-2">
          <SelectMenu />
        </p>
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const fit = fits.get(first.key);
  const faulty = selected.filter((k) => isFault(fits.get(k)?.state ?? "seated"));
  const spiked = chosen.some((p) => p.spiked);
  const fixed = chosen.some((p) => p.role === "bearer");
  const grouped = chosen.length > 1 && chosen.every((p) => p.group && p.group === first.group);
  const size = props.get(first.prop);
  const stuck = spiked ? SPIKED : fixed ? "It is fixed; make it loose first." : undefined;
  const keys = selected;
  return (
    <div>
      {chosen.length === 1 ? (
        <p>
          <Name piece={first} /> {fixed ? "is fixed and carries others" : fit?.reason}
          {size && (
            <span className="figure text-quiet">
              {" "}
              ({inWords(size.width * first.pose.scale[0])} across,{" "}
              {inWords(size.height * first.pose.scale[1])} up)
            </span>
          )}
          .
        </p>
      ) : (
        <p>
          <strong>{grouped ? `“${first.group}”, ${chosen.length} pieces` : `${chosen.length} pieces`}</strong>
          , {faulty.length ? `${faulty.length} of them not right` : "all seated"}.
        </p>
      )}
      {!stuck && <Movements keys={keys} first={first} />}
      <p className="mt-2 flex flex-wrap items-baseline gap-x-3.5 gap-y-1.5">
        {faulty.length > 0 && (
          <ActionButton onClick={() => void mend(faulty)} disabled={!!stuck} why={stuck}>
            Repair
          </ActionButton>
        )}
        {!fixed && (
          <>
            <QuietButton
              onClick={() => void make({ kind: "reseat", pieces: keys, together: grouped })}
              disabled={!!stuck}
              why={stuck}
            >
              Set down here
            </QuietButton>
            <QuietButton
              onClick={() => void make({ kind: "rest", pieces: keys, together: grouped })}
              disabled={!!stuck}
              why={stuck}
            >
              Let it rest
            </QuietButton>
            <QuietButton onClick={() => void make({ kind: "spike", pieces: keys, spiked: !spiked })}>
              {spiked ? "Free" : "Spike"}
            </QuietButton>
          </>
        )}
        <QuietButton onClick={() => void make({ kind: "fix", pieces: keys, fixed: !fixed })}>
          {fixed ? "Make loose" : "Fix"}
        </QuietButton>
        {chosen.length > 1 && (
          <QuietButton
            onClick={() =>
              void make({
                kind: "group",
                pieces: keys,
                name: grouped ? "" : `${first.name} and ${chosen.length - 1} more`,
              })
            }
          >
            {grouped ? "Part" : "Group"}
          </QuietButton>
        )}
        <QuietButton onClick={() => set({ held: !held })}>{held ? "Let go" : "Hold selection"}</QuietButton>
        <SelectMenu />
        <QuietButton
          onClick={() => {
            setSlip({ prop: first.prop });
            setVerb("set down");
          }}
          disabled={fixed}
          why="A bearer is not copied by hand."
        >
          Another one
        </QuietButton>
        <QuietButton
          onClick={() =>
            set({ swapping: true, note: "press the prop in the trolley that is to stand there" })
          }
          disabled={!!stuck}
          why={stuck}
        >
          Swap…
        </QuietButton>
        <Link
          to={`/bench/${first.prop}`}
          className="border-b-[1.5px] border-quiet text-[14px] hover:border-clay hover:text-clay-deep"
        >
          To the bench
        </Link>
        <QuietButton
          onClick={() => {
            set({ held: false });
            void make({ kind: "remove", pieces: keys });
            select([]);
          }}
          disabled={spiked}
          why={SPIKED}
        >
          Take away
        </QuietButton>
      </p>
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
    </div>
  );
}
