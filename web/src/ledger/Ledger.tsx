/** Every piece and its fit as a table: sort, filter, select, repair, and the reason for every fault in words. */
import {
  type SortingState,
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ToggleGroup } from "radix-ui";
import { useDeferredValue, useMemo, useRef, useState } from "react";

import type { FitState } from "../api/client";
import { Glyph, STATE_ORDER, isFault } from "../fit/Glyph";
import { inMillimetres } from "../fit/units";
import { ActionButton } from "../ui/buttons";
import { mend } from "../stage/making";
import { useParts } from "../state";
import { COLUMNS, GRID, rowsOf, textOf } from "./columns";

const [HEAD_PX, ROW_PX] = [26, 27];
/** Rows that a key goes on by. */
const STRIDES: Record<string, number> = {
  ArrowDown: 1,
  ArrowUp: -1,
  PageDown: 10,
  PageUp: -10,
  Home: -Infinity,
  End: Infinity,
};
const rowId = (key: string) => `ledger row ${key}`.replaceAll(" ", "-");

export function Ledger({ onLook }: { onLook: (key: string) => void }) {
  // The stage is drawn first; a table of thousands follows it.
  const { pieces, fits, ties, measures } = useDeferredValue(useParts("pieces", "fits", "ties", "measures"));
  const { selected, select, point, set, saving, mended } = useParts(
    "selected",
    "select",
    "point",
    "set",
    "saving",
    "mended",
  );
  const [sorting, setSorting] = useState<SortingState>([{ id: "state", desc: false }]);
  const [only, setOnly] = useState<FitState | "all">("all");
  const [find, setFind] = useState("");
  const scroller = useRef<HTMLDivElement>(null);
  const anchor = useRef<string | null>(null);
  const data = useMemo(() => rowsOf({ pieces, fits, ties, measures }), [pieces, fits, ties, measures]);
  const filters = useMemo(() => (only === "all" ? [] : [{ id: "state", value: only }]), [only]);
  const table = useReactTable({
    data,
    columns: COLUMNS,
    state: { sorting, globalFilter: find.trim().toLowerCase(), columnFilters: filters },
    onSortingChange: setSorting,
    getRowId: (row) => row.piece.key,
    globalFilterFn: (row, _column, words: string) => textOf(row.original).includes(words),
    // Sorted one way or the other: never not at all.
    enableSortingRemoval: false,
    getCoreRowModel: getCoreRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  const rows = table.getRowModel().rows.map((row) => row.original);

  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
    // The head stays over the rows.
    scrollMargin: HEAD_PX,
    scrollPaddingStart: HEAD_PX,
  });
  const chosen = new Set(selected);
  const shownFaults = rows.filter((r) => isFault(r.fit.state));
  const chosenFaults = shownFaults.filter((r) => chosen.has(r.piece.key));
  const faulty = chosenFaults.length ? chosenFaults : shownFaults;
  const movedBy = new Map(mended.map((m) => [m.key, m.by]));
  const counts = STATE_ORDER.map((state) => ({
    state,
    n: [...fits.values()].filter((f) => f.state === state).length,
  })).filter(({ n }) => n > 0);

  const press = (key: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    if (event.shiftKey && anchor.current) {
      const [a, b] = [anchor.current, key].map((k) => rows.findIndex((r) => r.piece.key === k));
      select(rows.slice(Math.min(a!, b!), Math.max(a!, b!) + 1).map((r) => r.piece.key));
    } else if (event.ctrlKey || event.metaKey) {
      select(chosen.has(key) ? selected.filter((k) => k !== key) : [...selected, key]);
      anchor.current = key;
    } else {
      select([key]);
      anchor.current = key;
    }
  };
  const last = selected[selected.length - 1];
  // Only a row that is in the page can be named.
  const there = virtual.getVirtualItems().some((item) => rows[item.index]?.piece.key === last);
  const step = (by: number, more: boolean) => {
    const now = rows.findIndex((r) => r.piece.key === last);
    const next = rows[Math.min(rows.length - 1, Math.max(0, now + by))];
    if (!next) return;
    const { key } = next.piece;
    // The one that was reached last is the last, so that it goes on from there.
    select(more ? [...selected.filter((k) => k !== key), key] : [key]);
    virtual.scrollToIndex(rows.indexOf(next));
  };

  return (
    <section
      aria-label="Ledger"
      className="flex h-[clamp(200px,40vh,420px)] flex-col border-t border-rule bg-card"
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5">
        <h2 className="font-semibold">Ledger</h2>
        <ToggleGroup.Root
          type="single"
          aria-label="show only"
          value={only}
          onValueChange={(v) => v && setOnly(v as FitState | "all")}
          className="flex gap-1 text-[13.5px]"
        >
          {[{ state: "all" as const, n: fits.size }, ...counts].map(({ state, n }) => (
            <ToggleGroup.Item
              key={state}
              value={state}
              className={`figure flex items-center gap-1 rounded-sm border px-1.5 ${
                only === state ? "border-ink bg-wash" : "border-transparent hover:border-rule"
              }`}
            >
              {state !== "all" && <Glyph state={state} size={15} />}
              {n} {state}
            </ToggleGroup.Item>
          ))}
        </ToggleGroup.Root>
        <input
          type="search"
          aria-label="find in the ledger"
          placeholder="find"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          className="w-36 border-b border-edge bg-transparent px-1 text-[14px] outline-none placeholder:text-quiet focus:border-ink"
        />
        <span className="ml-auto flex items-center gap-4">
          <ActionButton
            onClick={() => void mend(faulty.map((r) => r.piece.key))}
            disabled={faulty.length === 0 || saving > 0}
            why={saving ? "Something is under way." : "Nothing of what is shown needs mending."}
          >
            {saving ? "Mending…" : `Repair ${faulty.length}`}
          </ActionButton>
          <button
            type="button"
            className="text-[14px] hover:text-clay-deep"
            onClick={() => set({ ledger: false })}
          >
            close
          </button>
        </span>
      </div>
      <div
        ref={scroller}
        role="grid"
        tabIndex={0}
        aria-label="fit of every piece; up and down choose one, with Shift several, Enter looks through its gap"
        aria-multiselectable
        aria-rowcount={rows.length + 1}
        aria-activedescendant={there ? rowId(last!) : undefined}
        className="min-h-0 flex-1 overflow-y-auto"
        onKeyDown={(e) => {
          if ((e.target as HTMLElement).closest("button")) return;
          const by = STRIDES[e.key];
          if (by !== undefined) {
            e.preventDefault();
            e.stopPropagation();
            step(by, e.shiftKey);
          } else if (e.key === "Enter" && selected[0]) {
            e.stopPropagation();
            onLook(selected[0]);
          }
        }}
        onPointerLeave={() => point(null)}
      >
        <div
          role="row"
          aria-rowindex={1}
          className="sticky top-0 z-10 grid items-center border-y border-rule bg-card px-4 text-[13px]"
          style={{ gridTemplateColumns: GRID, height: HEAD_PX }}
        >
          {table.getFlatHeaders().map(({ id, column }) => {
            const sorted = column.getIsSorted();
            return (
              <div
                key={id}
                role="columnheader"
                aria-sort={sorted === "desc" ? "descending" : sorted === "asc" ? "ascending" : "none"}
                className={column.columnDef.meta?.figures ? "pr-3 text-right" : ""}
              >
                <button
                  type="button"
                  className={`py-0.5 hover:text-clay-deep ${sorted ? "font-semibold" : "text-quiet"}`}
                  onClick={() => column.toggleSorting()}
                >
                  {column.columnDef.meta?.words}
                  {sorted ? (sorted === "desc" ? " ↓" : " ↑") : ""}
                </button>
              </div>
            );
          })}
        </div>
        <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const { piece, fit, on, ties: tiedTo, broken } = rows[item.index]!;
            const fault = isFault(fit.state);
            const by = movedBy.get(piece.key);
            const figure = "figure pr-3 text-right";
            return (
              <div
                key={piece.key}
                role="row"
                id={rowId(piece.key)}
                aria-rowindex={item.index + 2}
                aria-selected={chosen.has(piece.key)}
                onClick={(e) => press(piece.key, e)}
                onDoubleClick={() => onLook(piece.key)}
                onPointerEnter={() => point(piece.key)}
                className={`absolute right-0 left-0 grid cursor-pointer items-center px-4 text-[14px] ${
                  chosen.has(piece.key) ? "bg-wash" : "hover:bg-paper"
                }`}
                style={{ gridTemplateColumns: GRID, height: ROW_PX, top: item.start - HEAD_PX }}
              >
                <div
                  role="gridcell"
                  className={`flex items-center gap-1 ${fault ? "font-semibold text-clay-deep" : "text-quiet"}`}
                >
                  <Glyph state={fit.state} size={16} /> {fit.state}
                </div>
                <div role="gridcell" className="truncate pr-2">
                  {piece.name}
                  {piece.spiked && <span className="text-quiet"> · spiked</span>}
                  {piece.group && <span className="text-quiet"> · {piece.group}</span>}
                </div>
                <div role="gridcell" className="truncate pr-2">
                  {on}
                </div>
                <div role="gridcell" className={figure}>
                  {fit.gap === null ? "—" : inMillimetres(fit.gap, 2)}
                </div>
                <div role="gridcell" className={figure}>
                  {fit.deeper && "> "}
                  {inMillimetres(fit.depth, 2)}
                </div>
                <div role="gridcell" className={figure}>
                  {fit.tilt_deg.toFixed(1)}°
                </div>
                <div role="gridcell" className={figure}>
                  {fit.balance_margin === null ? "—" : inMillimetres(fit.balance_margin)}
                </div>
                <div
                  role="gridcell"
                  className={`truncate pr-2 ${broken ? "text-clay-deep" : ""}`}
                  title={tiedTo}
                >
                  {tiedTo}
                </div>
                <div
                  role="gridcell"
                  className={`truncate ${fault ? "text-clay-deep" : "text-quiet"}`}
                  title={fit.reason}
                >
                  {by !== undefined ? `mended, moved ${inMillimetres(by)}; ` : ""}
                  {fit.reason}
                </div>
              </div>
            );
          })}
        </div>
        {rows.length === 0 && <p className="px-4 py-3 text-quiet">Nothing like that stands here.</p>}
      </div>
    </section>
  );
}
