/** The columns of the ledger: what each shows, how it is sorted, how wide it is. */
import { type RowData, createColumnHelper } from "@tanstack/react-table";

import type { Fit, Piece } from "../api/client";
import type { Mirror } from "../api/mirror";
import { STATE_ORDER } from "../fit/Glyph";
import { measureWords } from "../ties/words";

declare module "@tanstack/react-table" {
  // The names of the parameters are the package's.
  // eslint-disable-next-line @typescript-eslint/no-unused-vars
  interface ColumnMeta<TData extends RowData, TValue> {
    words: string;
    width: string;
    figures?: boolean;
  }
}

export interface Row {
  piece: Piece;
  fit: Fit;
  /** What it rests on, by name. */
  on: string;
  /** Its ties and what they measure; `broken`: one of them does not hold. */
  ties: string;
  broken: boolean;
}

const column = createColumnHelper<Row>();
// One for all: a comparison that looks up the language each time takes twenty times as long.
const byName = new Intl.Collator(undefined, { numeric: true }).compare;
const figures = (words: string, width: string) => ({
  meta: { words, width, figures: true },
  sortingFn: "basic" as const,
  sortDescFirst: false,
});
const text = (words: string, width: string, of: (row: Row) => string) => ({
  meta: { words, width },
  sortingFn: (a: { original: Row }, b: { original: Row }) => byName(of(a.original), of(b.original)),
  sortDescFirst: false,
});

export const COLUMNS = [
  column.accessor((row) => row.fit.state, {
    id: "state",
    meta: { words: "fit", width: "102px" },
    filterFn: "equals",
    sortingFn: (a, b) =>
      STATE_ORDER.indexOf(a.original.fit.state) - STATE_ORDER.indexOf(b.original.fit.state) ||
      byName(a.original.piece.name, b.original.piece.name),
  }),
  column.accessor((row) => row.piece.name, {
    id: "name",
    ...text("piece", "minmax(72px, 1.1fr)", (row) => row.piece.name),
  }),
  column.accessor((row) => row.on, { id: "on", ...text("rests on", "minmax(64px, 1fr)", (row) => row.on) }),
  column.accessor((row) => row.fit.gap ?? Infinity, { id: "gap", ...figures("gap", "78px") }),
  column.accessor((row) => row.fit.depth, { id: "depth", ...figures("depth", "78px") }),
  column.accessor((row) => row.fit.tilt_deg, { id: "tilt", ...figures("tilt", "52px") }),
  column.accessor((row) => row.fit.balance_margin ?? Infinity, {
    id: "balance",
    ...figures("balance", "82px"),
  }),
  column.accessor((row) => row.ties, {
    id: "ties",
    ...text("ties", "minmax(60px, 1fr)", (row) => row.ties),
  }),
  column.accessor((row) => row.fit.reason, {
    id: "reason",
    ...text("why", "minmax(72px, 2fr)", (row) => row.fit.reason),
  }),
];
export const GRID = COLUMNS.map((c) => c.meta?.width).join(" ");

export function rowsOf(mirror: Pick<Mirror, "pieces" | "fits" | "ties" | "measures">): Row[] {
  const { pieces, fits, measures } = mirror;
  const tied = new Map<string, { words: string; holds: boolean }[]>();
  for (const tie of mirror.ties.values()) {
    const measure = measures.get(tie.key);
    if (!measure) continue;
    const words = `${measureWords(tie, measure)} · ${pieces.get(tie.to)?.name ?? ""}`;
    tied.set(tie.piece, [...(tied.get(tie.piece) ?? []), { words, holds: measure.holds }]);
  }
  return [...fits.values()].flatMap((fit) => {
    const piece = pieces.get(fit.key);
    const on = fit.rests_on.map((k) => pieces.get(k)?.name ?? "").join(", ");
    const own = tied.get(fit.key) ?? [];
    const ties = own.map((tie) => tie.words).join(", ");
    return piece ? [{ piece, fit, on, ties, broken: own.some((tie) => !tie.holds) }] : [];
  });
}

/** What a row is found by. */
export function textOf({ piece, fit, on, ties }: Row): string {
  return `${piece.name} ${on} ${ties} ${fit.reason}`.toLowerCase();
}
