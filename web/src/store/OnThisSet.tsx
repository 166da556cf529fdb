/** What the set in hand uses of the store. */
import { ToggleGroup } from "radix-ui";

import { type Budget, inMegabytes } from "../trolley/budget";

export type Only = "all" | "used" | "unused";

export function OnThisSet({
  budget,
  only,
  onOnly,
  onClear,
}: {
  budget: Budget;
  only: Only;
  onOnly: (only: Only) => void;
  onClear: () => void;
}) {
  return (
    <section aria-label="Budget" className="mt-5 border-t border-rule pt-3 text-[14px]">
      <h2 className="font-semibold">On this set</h2>
      <p className="figure">
        {budget.props} props
        <br />
        {budget.triangles.toLocaleString()} triangles
        <br />
        {inMegabytes(budget.bytes)}
      </p>
      <ToggleGroup.Root
        type="single"
        aria-label="show"
        value={only}
        onValueChange={(v) => v && onOnly(v as Only)}
        className="mt-1 flex gap-3"
      >
        {(["all", "used", "unused"] as const).map((o) => (
          <ToggleGroup.Item
            key={o}
            value={o}
            className={only === o ? "font-semibold underline" : "hover:text-clay-deep"}
          >
            {o}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      {budget.unused.length > 0 && (
        <p className="mt-2 text-quiet">
          {budget.unused.length} on the trolley stand nowhere yet.{" "}
          <button type="button" className="word" onClick={onClear}>
            clear them
          </button>
        </p>
      )}
    </section>
  );
}
