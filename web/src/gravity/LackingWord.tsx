import { ActionButton, QuietButton } from "../ui/buttons";
import { useParts } from "../state";
import { boxAndBegin, leaveOutAndBegin } from "./beginning";

/** What cannot fall, having no contact shape, and the offer to make one there and then. */
export function LackingWord({
  begin,
  leaveOut,
}: {
  begin: () => Promise<boolean>;
  /** Takes props out of what falls. */
  leaveOut: (props: ReadonlySet<string>) => void;
}) {
  const { lacking } = useParts("lacking");
  if (lacking.length === 0) return null;
  const one = lacking.length === 1;
  return (
    <div role="alert" className="mt-1">
      <p>No contact shape, so {one ? "it" : "they"} cannot fall:</p>
      <ul className="max-h-24 overflow-auto text-[13.5px] leading-snug text-quiet">
        {lacking.map((l) => (
          <li key={l.key}>
            <span className="text-ink">{l.name}</span>, {l.reason}
          </li>
        ))}
      </ul>
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1.5">
        <ActionButton onClick={() => void boxAndBegin(begin)}>
          Make {one ? "it a box" : "each a box"} and begin
        </ActionButton>
        <QuietButton onClick={() => void leaveOutAndBegin(leaveOut, begin)}>
          Leave {one ? "it" : "them"} out
        </QuietButton>
      </p>
    </div>
  );
}
