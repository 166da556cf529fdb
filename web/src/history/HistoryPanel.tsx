/** What was done, in words, newest first. Point at a step and the stage shows the set as it was after it. */
import { tell } from "../ui/telling";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { type HistoryStep, type Piece, client, wanted } from "../api/client";
import { goTo } from "../stage/making";
import { useParts } from "../state";
import { VirtualGrid } from "../ui/VirtualGrid";

const POINT_MS = 180;
/** How long a set as it was stays in memory: a large one is some megabytes. */
const KEPT_MS = 60_000;
/** Fetched at once. */
const STEPS = 200;

function clock(when: string): string {
  const at = new Date(when);
  const today = at.toDateString() === new Date().toDateString();
  return today
    ? at.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })
    : at.toLocaleDateString([], { day: "numeric", month: "short" });
}

export function HistoryPanel() {
  const { key, revision, preview, set } = useParts("key", "revision", "preview", "set");
  const waiting = useRef(0);
  /** Told apart from those asked for before and after: only the step that is pointed at now is shown. */
  const asked = useRef(0);
  const queries = useQueryClient();
  const [limit, setLimit] = useState(STEPS);
  const { data, error, isPending } = useQuery({
    queryKey: ["history", key, revision, limit],
    enabled: key !== null,
    queryFn: () =>
      wanted<HistoryStep[]>(
        client.GET("/api/sets/{key}/history", { params: { path: { key: key! }, query: { limit } } }),
      ),
    placeholderData: (previous) => previous,
  });
  useEffect(
    () => () => {
      clearTimeout(waiting.current);
      asked.current += 1;
      set({ preview: null });
    },
    [set],
  );
  const look = (step: { number: number; words: string }) => {
    clearTimeout(waiting.current);
    const mine = ++asked.current;
    waiting.current = window.setTimeout(() => {
      const path = { key: key!, number: step.number };
      const found = queries.fetchQuery({
        // How the set was after a step stays so for as long as nothing else is done.
        queryKey: ["set after a step", key, revision, step.number],
        staleTime: Infinity,
        gcTime: KEPT_MS,
        queryFn: () => wanted<Piece[]>(client.GET("/api/sets/{key}/history/{number}", { params: { path } })),
      });
      found.then(
        (pieces) => {
          if (mine === asked.current)
            set({ preview: { ...step, pieces: new Map(pieces.map((p) => [p.key, p])) } });
        },
        (problem: Error) => mine === asked.current && tell(problem),
      );
    }, POINT_MS);
  };
  const leave = () => {
    clearTimeout(waiting.current);
    asked.current += 1;
    set({ preview: null });
  };
  const now = data?.find((s) => !s.undone && !s.elsewhere)?.number ?? 0;
  const oldest = data?.at(-1)?.number ?? 1;
  const steps: HistoryStep[] = [
    ...(data ?? []),
    // Before the steps are here, nothing says where the set stands: no step is offered yet.
    ...(data && oldest <= 1
      ? [
          {
            number: 0,
            words: "as the set was to begin with",
            at: "",
            undone: false,
            elsewhere: false,
            actor: null,
          },
        ]
      : []),
  ];
  return (
    <aside
      aria-label="History"
      className="absolute top-0 bottom-0 left-0 z-10 flex w-72 flex-col border-r border-edge bg-card shadow-md"
      onPointerLeave={leave}
    >
      <div className="flex items-baseline border-b border-rule px-4 py-2">
        <h2 className="font-semibold">History</h2>
        <button
          type="button"
          className="ml-auto text-[14px] hover:text-clay-deep"
          onClick={() => set({ history: false })}
        >
          close
        </button>
      </div>
      {isPending && <p className="px-4 py-2 text-quiet">fetching what was done…</p>}
      {error && <p className="px-4 py-2 text-clay-deep">{error.message}</p>}
      <VirtualGrid
        items={steps}
        keyOf={(step) => String(step.number)}
        columns={1}
        row={30}
        gap={0}
        label="steps"
        className="min-h-0 flex-1 py-1"
      >
        {(step) =>
          step.elsewhere ? (
            <p className="flex items-baseline gap-2 border-l-4 border-transparent px-3 py-1 text-[14px] leading-snug text-quiet">
              <span className="figure w-7 shrink-0 text-right text-[12.5px]">{step.number}</span>
              <span className="min-w-0 flex-1">{step.words}</span>
              <span className="figure shrink-0 text-[12.5px]">{clock(step.at)}</span>
            </p>
          ) : (
            <button
              type="button"
              aria-current={step.number === now ? "step" : undefined}
              onPointerEnter={() => step.number !== now && look(step)}
              onFocus={() => step.number !== now && look(step)}
              onBlur={leave}
              onClick={() => {
                leave();
                if (step.number !== now) void goTo(step.number);
              }}
              className={`flex w-full items-baseline gap-2 border-l-4 px-3 py-1 text-left text-[14px] leading-snug hover:bg-wash ${
                step.number === now ? "border-clay bg-paper font-semibold" : "border-transparent"
              } ${step.undone ? "text-quiet line-through" : ""} ${preview?.number === step.number ? "bg-wash" : ""}`}
            >
              <span className="figure w-7 shrink-0 text-right text-[12.5px] text-quiet">
                {step.number || ""}
              </span>
              <span className="min-w-0 flex-1">{step.words}</span>
              <span className="figure shrink-0 text-[12.5px] text-quiet">{step.at && clock(step.at)}</span>
            </button>
          )
        }
      </VirtualGrid>
      {data && oldest > 1 && data.length >= limit && (
        <button
          type="button"
          className="border-t border-rule px-4 py-1 text-left text-[14px] hover:text-clay-deep"
          onClick={() => setLimit(limit + STEPS)}
        >
          older steps, before {oldest}
        </button>
      )}
      <p className="border-t border-rule px-4 py-2 text-[13px] text-quiet">
        Point at a step to look at the set as it was; press to go back there, or on again.
      </p>
    </aside>
  );
}
