import { inDegrees } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { make } from "../../stage/making";
import { useParts } from "../../state";
import { QuietButton } from "../../ui/buttons";
import { carriedNow } from "./carrying";
import { joinAgain } from "./pointer";

const ANY = "\u0000any";

export function JoinSlip() {
  const { join, setJoin, note, selected, ties, lastJoin, slip, select } = useParts(
    "join",
    "setJoin",
    "note",
    "selected",
    "ties",
    "lastJoin",
    "slip",
    "select",
  );
  const carried = carriedNow();
  if (!carried)
    return (
      <div>
        <p>
          Choose a prop from the trolley, or press on a piece that stands. Its free seats and those that it
          goes onto light up under the pointer.
        </p>
        <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
      </div>
    );
  const seat = carried.seats.find((s) => s.name === join.seat);
  const joined = carried.piece !== null && [...ties.values()].some((t) => t.tie === "join" && (t.piece === carried.piece || t.to === carried.piece)); // prettier-ignore
  const step = (seat ?? carried.seats[0])?.step_deg || 15;
  const again = lastJoin !== null && !selected.length && slip.prop === lastJoin.prop;
  return (
    <div>
      <p>
        Join <strong>{carried.name}</strong> by{" "}
        <ChoiceWord
          label="its seat"
          value={seat?.name ?? ANY}
          onChange={(v) => setJoin({ seat: v === ANY ? null : v })}
          choices={[
            { value: ANY, words: "the seat that fits" },
            ...carried.seats.map((s) => ({ value: s.name, words: s.name })),
          ]}
        />{" "}
        to the nearest free seat, turned{" "}
        <NumberWord
          label="turn in the seat"
          value={join.turn}
          step={step}
          min={-360}
          max={360}
          {...inDegrees}
          onChange={(turn) => setJoin({ turn })}
        />
        , facing{" "}
        <ChoiceWord
          label="facing"
          value={join.flip ? "flipped" : "plain"}
          onChange={(v) => setJoin({ flip: v === "flipped" })}
          choices={[
            { value: "plain", words: "each other" },
            { value: "flipped", words: "the same way" },
          ]}
        />
        ,{" "}
        <ChoiceWord
          label="whether they stay joined"
          value={join.keep ? "kept" : "free"}
          onChange={(v) => setJoin({ keep: v === "kept" })}
          choices={[
            { value: "kept", words: "kept joined" },
            { value: "free", words: "just put there" },
          ]}
        />
        .
      </p>
      {joined && (
        <p className="mt-1">
          In its seat, turn it by{" "}
          <NumberWord
            label="turn about the joint"
            value={0}
            step={step}
            min={-360}
            max={360}
            {...inDegrees}
            late
            onChange={(angle) => void make({ kind: "turn_joint", piece: carried.piece!, angle_deg: angle })}
          />{" "}
          <span className="text-quiet">(, and . by {step}°)</span>.
        </p>
      )}
      <p className="mt-2 flex flex-wrap gap-x-3.5 gap-y-1">
        <QuietButton
          onClick={() => joinAgain()}
          disabled={!again}
          why="Join one first; then the same pair goes on."
        >
          Again
        </QuietButton>
        <QuietButton onClick={() => setJoin({ flip: !join.flip })}>Flip</QuietButton>
        <QuietButton
          onClick={() => void make({ kind: "pull_apart", pieces: [carried.piece!] })}
          disabled={!joined}
          why={carried.piece ? "It is joined to nothing." : "Press on a joined piece first."}
        >
          Pull apart
        </QuietButton>
        {carried.piece && <QuietButton onClick={() => select([])}>Let go</QuietButton>}
      </p>
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet" aria-live="polite">
        {note}
      </p>
    </div>
  );
}
