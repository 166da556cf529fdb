import { Dialog } from "radix-ui";

import { useParts } from "../state";
import { BY_HAND, COMMANDS, HELD } from "./table";

/** All keys, from the table of commands. */
export function KeySheet() {
  const { keySheet, set } = useParts("keySheet", "set");
  const rows: [string, string][] = [...COMMANDS, ...HELD].map(({ shown, words }) => [shown, words]);
  return (
    <Dialog.Root open={keySheet} onOpenChange={(open) => set({ keySheet: open })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[980px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-sm border border-rule bg-card p-6 shadow-lg"
        >
          <Dialog.Title className="mb-3 text-lg font-semibold">Keys</Dialog.Title>
          <dl className="gap-x-10 text-[14px] min-[900px]:columns-2">
            {[...rows, ...BY_HAND].map(([keys, does]) => (
              <div key={keys} className="grid break-inside-avoid grid-cols-[118px_1fr] gap-x-3 py-0.5">
                <dt className="figure font-semibold text-ink">{keys}</dt>
                <dd className="text-quiet">{does}</dd>
              </div>
            ))}
          </dl>
          <Dialog.Close className="mt-4 border-b-2 border-clay font-semibold">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
