import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";

const DELAY_MS = 350;

/** Words that come up beside what is pointed at or has the focus; none, and nothing comes up. */
export function Tip({ words, children }: { words: string | null | undefined; children: ReactNode }) {
  if (!words) return children;
  return (
    <Tooltip.Root delayDuration={DELAY_MS}>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          side="bottom"
          sideOffset={4}
          collisionPadding={8}
          className="z-40 max-w-72 rounded-sm border border-edge bg-card px-2 py-1 text-[13.5px] leading-snug shadow-md"
        >
          {words}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
