/** The left side: the verbs in their groups, the slip of the one in hand, and the trolley. The border between slip and trolley can
 * be dragged, or moved by the arrow keys. */
import { ToggleGroup } from "radix-ui";
import { type ReactNode, useRef, useState } from "react";

import { useChosen } from "../commands/chosen";
import { useParts } from "../state";
import { GROUPS, TOOLS } from "../tools";
import { Trolley } from "../trolley/Trolley";

const KEPT = "slip height";
const [LEAST, MOST] = [96, 640];
/** As much as the longest sentence needs on a screen of 800 pixels. */
const USUAL = 372;
const KEY_STEP = 24;

function Verbs() {
  const { verb, setVerb } = useParts("verb", "setVerb");
  const { chosen } = useChosen();
  return (
    <ToggleGroup.Root
      type="single"
      aria-label="Verbs"
      value={verb}
      onValueChange={(v) => v && setVerb(v)}
      className="border-b border-rule px-2 pt-1 pb-1.5"
    >
      {GROUPS.map((group) => (
        <div key={group} role="group" aria-label={group} className="grid grid-cols-[74px_1fr] items-baseline">
          <span className="px-1 text-[13px] whitespace-nowrap text-quiet">{group}</span>
          <div className="grid grid-cols-2">
            {TOOLS.filter((tool) => tool.group === group).map((tool) => (
              <ToggleGroup.Item
                key={tool.verb}
                value={tool.verb}
                className={`flex items-baseline gap-1.5 rounded-sm px-1.5 py-0.5 text-left text-[16px] whitespace-nowrap ${
                  verb === tool.verb ? "bg-wash font-semibold" : "hover:bg-card"
                }`}
              >
                <span className="figure text-[13px] text-quiet">{chosen[tool.verb]?.shown ?? tool.key}</span>
                {tool.verb}
              </ToggleGroup.Item>
            ))}
          </div>
        </div>
      ))}
    </ToggleGroup.Root>
  );
}

/** `folded`: on a narrow page it is not seen. */
export function SidePanel({
  slip,
  folded,
  onFold,
}: {
  slip: ReactNode;
  folded: boolean;
  onFold: () => void;
}) {
  const [height, setHeight] = useState(() => Number(localStorage.getItem(KEPT)) || USUAL);
  const panel = useRef<HTMLElement>(null);
  const put = (wanted: number) => {
    const next = Math.round(Math.min(MOST, Math.max(LEAST, wanted)));
    setHeight(next);
    localStorage.setItem(KEPT, String(next));
  };
  return (
    <aside
      className={`flex min-h-0 flex-col border-r border-rule bg-paper max-[900px]:absolute max-[900px]:top-12 max-[900px]:bottom-0 max-[900px]:left-0 max-[900px]:z-20 max-[900px]:w-72 max-[900px]:shadow-lg ${
        folded ? "max-[900px]:hidden" : ""
      }`}
    >
      <button
        type="button"
        aria-expanded
        onClick={onFold}
        className="self-end px-2 pt-1 text-[13.5px] text-quiet hover:text-clay-deep min-[901px]:hidden"
      >
        fold away
      </button>
      <Verbs />
      <section
        ref={panel}
        aria-label="Slip"
        className="min-h-24 shrink-0 overflow-y-auto px-4 pt-3 pb-2 leading-relaxed"
        style={{ maxHeight: `min(${height}px, 62vh)` }}
      >
        {slip}
      </section>
      <div
        role="separator"
        aria-orientation="horizontal"
        aria-label="how much room the sentence takes; the trolley has the rest"
        aria-valuenow={height}
        aria-valuemin={LEAST}
        aria-valuemax={MOST}
        tabIndex={0}
        className="group flex h-2 shrink-0 cursor-row-resize touch-none items-center border-t border-rule hover:bg-wash"
        onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
        onPointerMove={(e) => {
          if (e.buttons === 1 && panel.current) put(e.clientY - panel.current.getBoundingClientRect().top);
        }}
        onKeyDown={(e) => {
          if (e.key !== "ArrowUp" && e.key !== "ArrowDown") return;
          e.preventDefault();
          e.stopPropagation();
          put(height + (e.key === "ArrowDown" ? KEY_STEP : -KEY_STEP));
        }}
      >
        <span className="mx-auto h-px w-8 bg-quiet" />
      </div>
      <Trolley />
    </aside>
  );
}
