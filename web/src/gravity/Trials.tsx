/** Outcomes of a settling or of a filling side by side, with picture, score and figures: look at one, adopt one or none. */
import { useEffect, useState } from "react";

import type { Outcome } from "../api/client";
import { inWords } from "../fit/units";
import { useParts } from "../state";

export function Trials({
  outcomes,
  picture,
}: {
  outcomes: Outcome[];
  picture: (outcome: Outcome) => Promise<string>;
}) {
  const { trial, set } = useParts("trial", "set");
  const [pictures, setPictures] = useState<string[]>([]);
  useEffect(() => {
    // One at a time, with a breath in between: each is a drawing of the whole stage.
    let here = true;
    const take = (n: number) => {
      if (!here || n >= outcomes.length) return;
      void picture(outcomes[n]!).then((found) => {
        if (!here) return;
        setPictures((old) => [...old.slice(0, n), found]);
        requestAnimationFrame(() => take(n + 1));
      });
    };
    take(0);
    return () => {
      here = false;
    };
    // The pictures belong to the outcomes; how they are taken does not change.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [outcomes]);
  const best = Math.min(...outcomes.map((o) => o.score));
  return (
    <section
      aria-label="Trials"
      className="flex gap-3 overflow-x-auto border-t border-rule bg-paper px-4 py-2"
    >
      {outcomes.map((o, n) => (
        <button
          key={o.seed}
          type="button"
          aria-pressed={trial === n}
          onClick={() => set({ trial: n })}
          className={`shrink-0 rounded-sm border bg-card text-left text-[13px] leading-snug ${
            trial === n
              ? "border-clay shadow-[inset_0_-3px_0_var(--color-clay)]"
              : "border-edge hover:border-ink"
          }`}
        >
          {pictures[n] ? (
            <img
              src={pictures[n]}
              alt={`outcome of seed ${o.seed}`}
              width={174}
              height={111}
              className="block"
            />
          ) : (
            <span className="block h-[111px] w-[174px] bg-wash" />
          )}
          <span className="figure block px-2 py-1">
            <strong>seed {o.seed}</strong>
            {o.score === best && ", best"}
            <br />
            {o.recipe ? <Placed words={o.words ?? ""} /> : <Lying outcome={o} />}
          </span>
        </button>
      ))}
    </section>
  );
}

/** How much a filling places. */
function Placed({ words }: { words: string }) {
  return <span className="block w-[158px] whitespace-normal">{words}</span>;
}

/** How pieces lie that fell. */
function Lying({ outcome }: { outcome: Outcome }) {
  return (
    <>
      {outcome.named.length ? (
        <span className="font-semibold text-clay-deep">{outcome.named.length} not right</span>
      ) : (
        "all in contact"
      )}
      , {inWords(outcome.height)} high
      <br />
      {inWords(outcome.spread)} spread, {outcome.seconds.toFixed(1)} s
    </>
  );
}
