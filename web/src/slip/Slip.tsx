/** The settings of a verb, written as one sentence whose underlined words are the controls. */
import { useState } from "react";

import { isFault } from "../fit/Glyph";
import { inMillimetres, inWords, parseLength } from "../fit/units";
import { repairAll } from "../stage/keys";
import { make } from "../stage/making";
import { PLAIN_SLIP, useStage } from "../stage/store";
import { ActionButton, ChoiceWord, NumberWord, QuietButton } from "./words";

const percent = (v: number) => `${Math.round(v * 100)} %`;
const readPercent = (text: string) => {
  const found = /^\s*(\d+(?:\.\d+)?)\s*%?\s*$/.exec(text);
  return found ? Number(found[1]) / 100 : null;
};
const degrees = (v: number) => `${Math.round(v)}°`;
const readDegrees = (text: string) => {
  const found = /^\s*(-?\d+(?:\.\d+)?)\s*°?\s*$/.exec(text);
  return found ? Number(found[1]) : null;
};
const lengthWord = {
  step: 0.001,
  min: 0,
  max: 2,
  show: (v: number) => inMillimetres(v, 0),
  read: parseLength,
};

function SetDownSlip() {
  const { slip, setSlip, props, note } = useStage();
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
          min={0}
          max={1}
          show={percent}
          read={readPercent}
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
          {...lengthWord}
          onChange={(standOff) => setSlip({ standOff, sink: 0 })}
        />{" "}
        off, turned{" "}
        <ChoiceWord
          label="turn"
          value={slip.turn === null ? "any" : "set"}
          onChange={(v) => setSlip({ turn: v === "any" ? null : 0 })}
          choices={[
            { value: "any", words: "any way" },
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
              show={degrees}
              read={readDegrees}
              onChange={(turn) => setSlip({ turn })}
            />
          </>
        )}
        {(more || slip.sink > 0) && (
          <>
            , bedded{" "}
            <NumberWord
              label="sink"
              value={slip.sink}
              {...lengthWord}
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
              min={0.05}
              max={10}
              show={percent}
              read={readPercent}
              onChange={(size) => setSlip({ size })}
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

function LookOverSlip() {
  const { selected, pieces, fits, props, note } = useStage();
  if (selected.length === 0)
    return (
      <div>
        <p>Press on a piece to measure how it sits. Drag it, and it slides along what it touches.</p>
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const chosen = selected.map((k) => pieces.get(k)).filter((p) => p !== undefined);
  const faulty = selected.filter((k) => isFault(fits.get(k)?.state ?? "seated"));
  const first = chosen[0];
  if (!first) return null;
  const fit = fits.get(first.key);
  const spiked = chosen.some((p) => p.spiked);
  const bed = first.sink - first.stand_off;
  const size = props.get(first.prop);
  return (
    <div>
      {chosen.length === 1 ? (
        <p>
          <strong>{first.name}</strong> {fit?.reason}
          {size && (
            <span className="figure text-quiet">
              {" "}
              ({inWords(size.width * first.pose.scale[0])} across,{" "}
              {inWords(size.height * first.pose.scale[1])} up)
            </span>
          )}
          . It is meant to{" "}
          <ChoiceWord
            label="bedding"
            value={bed < 0 ? "off" : bed > 0 ? "in" : "touch"}
            onChange={(way) => {
              const amount = Math.max(0.005, Math.abs(bed));
              void make({
                kind: "bed",
                keys: selected,
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
                {...lengthWord}
                onChange={(v) => void make({ kind: "bed", keys: selected, sink: bed < 0 ? -v : v })}
              />
            </>
          )}
          .
        </p>
      ) : (
        <p>
          <strong>{chosen.length} pieces</strong>,{" "}
          {faulty.length ? `${faulty.length} of them not right` : "all seated"}.
        </p>
      )}
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1.5">
        {faulty.length > 0 && (
          <ActionButton
            onClick={() => void make({ kind: "repair", keys: faulty })}
            disabled={spiked}
            why="It is spiked; free it first."
          >
            Repair
          </ActionButton>
        )}
        <QuietButton
          onClick={() => void make({ kind: "seat", keys: selected })}
          disabled={spiked}
          why="It is spiked; free it first."
        >
          Set down here
        </QuietButton>
        <QuietButton
          onClick={() => void make({ kind: "rest", keys: selected })}
          disabled={spiked}
          why="It is spiked; free it first."
        >
          Let it rest
        </QuietButton>
        <QuietButton onClick={() => void make({ kind: "spike", keys: selected, spiked: !spiked })}>
          {spiked ? "Free" : "Spike"}
        </QuietButton>
        <QuietButton
          onClick={() => void make({ kind: "remove", keys: selected })}
          disabled={spiked}
          why="It is spiked; free it first."
        >
          Take away
        </QuietButton>
      </p>
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
    </div>
  );
}

function RepairSlip() {
  const { fits, pieces, saving } = useStage();
  const faulty = [...fits.values()].filter((f) => isFault(f.state));
  const spiked = faulty.filter((f) => pieces.get(f.key)?.spiked).length;
  return (
    <div>
      <p>
        Mend everything that does not sit, with the least movement, from the ground up; spiked pieces stay
        {spiked ? ` (${spiked} of them are wrong)` : ""}.
      </p>
      <p className="mt-2">
        <ActionButton
          onClick={() => void repairAll()}
          disabled={faulty.length === 0 || saving > 0}
          why={saving ? "A repair is under way." : "Everything sits; there is nothing to mend."}
        >
          {saving ? "Mending…" : faulty.length ? `Repair ${faulty.length}` : "Everything sits"}
        </ActionButton>
      </p>
      <ul className="mt-2 max-h-28 overflow-auto text-[13.5px] leading-snug text-quiet">
        {faulty.map((f) => (
          <li key={f.key}>
            <button
              type="button"
              className="text-left hover:text-clay-deep"
              onClick={() => useStage.getState().select([f.key])}
            >
              <span className="text-ink">{pieces.get(f.key)?.name}</span> {f.reason}
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

export function Slip() {
  const verb = useStage((s) => s.verb);
  return (
    <section aria-label="Slip" className="min-h-40 border-b border-rule px-4 py-3 leading-relaxed">
      {verb === "set down" && <SetDownSlip />}
      {verb === "look over" && <LookOverSlip />}
      {verb === "repair" && <RepairSlip />}
    </section>
  );
}
