/** After a change that took the support away from others: who they are, and what to do about it in one press. */
import { make } from "../stage/making";
import { useParts } from "../state";
import { withWhatRestsOn } from "../state/families";
import { hangs } from "../state/lost";
import { QuietButton } from "../ui/buttons";

export function LostLine() {
  const { lost, fits, pieces, set, select, setVerb } = useParts(
    "lost",
    "fits",
    "pieces",
    "set",
    "select",
    "setVerb",
  );
  // What stands on them comes down with them. What was seated, taken away or undone since is not lost any more.
  const keys = lost.filter((key) => hangs(fits.get(key)));
  if (keys.length === 0) return null;
  const seated = withWhatRestsOn(keys, fits);
  const who = keys.length === 1 ? pieces.get(keys[0]!)?.name : `${keys.length} pieces`;
  return (
    <div
      role="status"
      aria-label="Lost support"
      className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-t border-clay bg-card px-4 py-1.5"
    >
      <p>
        <strong>{who}</strong> lost what {keys.length === 1 ? "it" : "they"} stood on.
      </p>
      <QuietButton onClick={() => void make({ kind: "reseat", pieces: seated })}>
        Seat {keys.length === 1 ? "it" : "them"}
      </QuietButton>
      <QuietButton
        onClick={() => {
          setVerb("settle");
          select(keys);
        }}
      >
        Let gravity act
      </QuietButton>
      <QuietButton onClick={() => select(keys)}>Show</QuietButton>
      <QuietButton onClick={() => set({ lost: [] })}>
        Leave {keys.length === 1 ? "it" : "them"} so
      </QuietButton>
    </div>
  );
}
