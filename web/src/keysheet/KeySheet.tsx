import { Dialog } from "radix-ui";

import { KEY_SHEET } from "../stage/keys";

export function KeySheet({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 w-[640px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 rounded-sm border border-rule bg-card p-6 shadow-lg"
        >
          <Dialog.Title className="mb-3 text-lg font-semibold">Keys</Dialog.Title>
          <dl className="grid grid-cols-[150px_1fr] gap-x-4 gap-y-1.5 text-[14px]">
            {KEY_SHEET.map(([keys, does]) => (
              <div key={keys} className="contents">
                <dt className="figure font-semibold text-ink">{keys}</dt>
                <dd className="text-quiet">{does}</dd>
              </div>
            ))}
            <div className="contents">
              <dt className="figure font-semibold">right button, wheel</dt>
              <dd className="text-quiet">
                walk round, come nearer; the middle button carries the view along
              </dd>
            </div>
          </dl>
          <Dialog.Close className="mt-4 border-b-2 border-clay font-semibold">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
