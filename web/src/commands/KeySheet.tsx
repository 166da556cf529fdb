import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";

import { useParts } from "../state";
import { PlainButton } from "../ui/buttons";
import { choose, commandOf, forgetAll, holdingOf, isModifier, keyOf, shownOf, useChosen } from "./chosen";
import { BY_HAND, COMMANDS, HELD } from "./table";

/** Of what leaves, no other key can be chosen: it is how one gets out of everything. */
const FIXED = ["back out"];

/** All keys, from the table of commands; each can be chosen anew. */
export function KeySheet() {
  const { keySheet, set } = useParts("keySheet", "set");
  return (
    <Dialog.Root open={keySheet} onOpenChange={(open) => set({ keySheet: open })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/25" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[980px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-sm border border-edge bg-card p-6 shadow-lg">
          <Dialog.Title className="text-lg font-semibold">Keys</Dialog.Title>
          <Rows />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Rows() {
  const { chosen } = useChosen();
  /** The command that waits for its new key. */
  const [waiting, setWaiting] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    if (waiting === null) return;
    const hear = (event: KeyboardEvent) => {
      if (event.key === "Tab") return;
      // Not for the dialog, which Escape would close.
      event.preventDefault();
      event.stopImmediatePropagation();
      if (event.key === "Escape") return setWaiting(null);
      const held = HELD.some(({ id }) => id === waiting);
      const key = keyOf(event, held);
      if (!key) {
        if (held && !isModifier(event))
          setProblem("Of a key that is held, Shift and Alt change the step: choose it without them.");
        return;
      }
      const other = holdingOf(event) ?? commandOf(event);
      if (other && other.id !== waiting)
        return setProblem(
          `${key.shown} is the key of “${other.words}”. Choose another, or give that one another key first.`,
        );
      setProblem(null);
      setWaiting(null);
      void choose(waiting, key);
    };
    window.addEventListener("keydown", hear, { capture: true });
    return () => window.removeEventListener("keydown", hear, { capture: true });
  }, [waiting]);
  return (
    <>
      <Dialog.Description className="mb-3 text-[14px] text-quiet">
        Press on a key to choose another for it; it is kept with your account.{" "}
        {Object.keys(chosen).length > 0 && (
          <PlainButton onClick={() => void forgetAll()}>
            <span className="word">All keys as they came</span>
          </PlainButton>
        )}
      </Dialog.Description>
      {problem && (
        <p role="alert" className="mb-3 border-l-4 border-clay pl-2 text-[14px]">
          {problem}
        </p>
      )}
      <dl className="gap-x-10 text-[14px] min-[900px]:columns-2">
        {[...COMMANDS, ...HELD].map((command) => {
          const shown = shownOf(command, chosen);
          const waits = waiting === command.id;
          return (
            <div key={command.id} className="grid break-inside-avoid grid-cols-[118px_1fr] gap-x-3 py-0.5">
              <dt className="figure font-semibold text-ink">
                {FIXED.includes(command.id) ? (
                  shown
                ) : (
                  <button
                    type="button"
                    aria-label={`${shown}: choose another key for “${command.words}”`}
                    aria-pressed={waits}
                    className={`-ml-1 rounded-sm px-1 text-left hover:bg-wash hover:text-clay-deep ${
                      chosen[command.id] ? "text-clay-deep" : ""
                    } ${waits ? "bg-wash" : ""}`}
                    onClick={() => {
                      setProblem(null);
                      setWaiting(waits ? null : command.id);
                    }}
                  >
                    {waits ? "press it…" : shown}
                  </button>
                )}
              </dt>
              <dd className="text-quiet">{command.words}</dd>
            </div>
          );
        })}
        {BY_HAND.map(([by, does]) => (
          <div key={by} className="grid break-inside-avoid grid-cols-[118px_1fr] gap-x-3 py-0.5">
            <dt className="figure font-semibold text-ink">{by}</dt>
            <dd className="text-quiet">{does}</dd>
          </div>
        ))}
      </dl>
      <Dialog.Close className="mt-4 border-b-2 border-clay font-semibold">Close</Dialog.Close>
    </>
  );
}
