import { Link } from "react-router";

import { isFault } from "../../fit/Glyph";
import { inWords } from "../../fit/units";
import { make, mend } from "../../stage/making";
import { useParts, useStage } from "../../state";
import { loadOf } from "../../state/mover";
import { ActionButton, QuietButton } from "../../ui/buttons";
import { Posing } from "./Posing";
import { TiesOf } from "./TiesOf";
import { Movements } from "./Movements";
import { PieceName } from "./PieceName";
import { SelectMenu } from "./SelectMenu";

const SPIKED = "It is spiked; free it first.";

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
  const stuck = spiked ? SPIKED : undefined;
  const keys = selected;
  return (
    <div>
      {chosen.length === 1 ? (
        <p>
          <PieceName piece={first} /> {fixed ? carries(first.key) : fit?.reason}
          {size && (stuck || fixed) && (
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
      {stuck ? <p className="mt-1 text-quiet">{stuck}</p> : <Movements keys={keys} first={first} />}
      {!stuck && chosen.length === 1 && size && size.joints.length > 0 && (
        <Posing key={first.key} piece={first} prop={size} />
      )}
      <TiesOf keys={keys} />
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
          disabled={!!stuck || fixed}
          why={stuck ?? "A bearer is not swapped; make it loose first."}
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

/** Of a bearer: how many stand on it, and what is cut into it. */
function carries(key: string): string {
  const { cutOuts } = useStage.getState();
  const openings = [...cutOuts.values()].filter((cut) => cut.bearer === key).length;
  const cut = openings ? `, and has ${openings} ${openings === 1 ? "opening" : "openings"}` : "";
  return `is a bearer; it carries ${loadOf(key).length}${cut}`;
}
