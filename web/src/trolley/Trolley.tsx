/** The props in use: pick one and point. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";

import { type Prop, client, wanted } from "../api/client";
import { pictureOf } from "../api/pictures";
import { inWords } from "../fit/units";
import { useParts, useStage } from "../state";
import { USUAL, toolOf } from "../tools";
import { VirtualGrid } from "../ui/VirtualGrid";
import { budgetOf, inMegabytes } from "./budget";
import { choose } from "./choosing";
import { folded } from "./folding";

function PropCard({
  prop,
  standing,
  onChoose,
  under,
  inner,
  open,
  onUnfold,
}: {
  prop: Prop;
  /** How many shards and poses of it there are, whether they are shown, and whether this is one of them. */
  under: number;
  open: boolean;
  inner: boolean;
  onUnfold: () => void;
  standing: number;
  onChoose: () => void;
}) {
  const chosen = useStage((state) => (toolOf(state.verb).takes ?? USUAL.takes)?.(prop.key, state) ?? false);
  return (
    <div className={`relative ${inner ? "rounded-sm bg-wash" : ""}`}>
      {under > 0 && (
        <button
          type="button"
          aria-expanded={open}
          aria-label={`${under} that came of ${prop.name}`}
          onClick={onUnfold}
          className="figure absolute top-0 right-0 z-10 rounded-sm border border-edge bg-card px-1 text-[12px] hover:border-ink hover:text-clay-deep"
        >
          {open ? "−" : "+"}
          {under}
        </button>
      )}
      <button
        type="button"
        aria-pressed={chosen}
        onClick={onChoose}
        title={`${prop.name}: ${inWords(prop.width)} across, ${inWords(prop.height)} up, ${inWords(prop.depth)} along; ${prop.triangles} triangles`}
        className={`flex w-full flex-col items-center rounded-sm border px-1 pt-1 pb-1.5 text-center ${
          chosen
            ? "border-clay bg-card shadow-[inset_0_-3px_0_var(--color-clay)]"
            : "border-transparent hover:border-rule hover:bg-card"
        }`}
      >
        <img
          src={pictureOf(prop.file, "corner")}
          alt=""
          width={56}
          height={56}
          loading="lazy"
          className="block h-14 w-14"
        />
        <span className="line-clamp-2 w-full text-[13px] leading-tight [overflow-wrap:anywhere]">
          {prop.name}
        </span>
        <span className="figure text-[12px] text-quiet">
          {inWords(prop.height)}
          {standing ? ` · ${standing}` : ""}
        </span>
      </button>
    </div>
  );
}

export function Trolley() {
  const { pieces, props, trolley } = useParts("pieces", "props", "trolley");
  const [find, setFind] = useState("");
  const { data, error, isPending } = useQuery({
    queryKey: ["props"],
    queryFn: () => wanted<Prop[]>(client.GET("/api/props")),
    staleTime: 60_000,
  });
  const standing = useMemo(() => {
    const count = new Map<string, number>();
    for (const p of pieces.values()) count.set(p.prop, (count.get(p.prop) ?? 0) + 1);
    return count;
  }, [pieces]);
  const words = find.trim().toLowerCase();
  const budget = useMemo(() => budgetOf(pieces, props, trolley), [pieces, props, trolley]);
  // What was wheeled onto this set and what stands on it; a set whose trolley was never packed has the whole store.
  const wheeled = useMemo(() => new Set([...trolley, ...standing.keys()]), [trolley, standing]);
  // What came with the set and is not in the store, as with a file that was opened, can be set down again all the same.
  const own = useMemo(() => {
    const inStore = new Set(data?.map((p) => p.key));
    return [...standing.keys()].flatMap((key) => (inStore.has(key) ? [] : (props.get(key) ?? [])));
  }, [data, standing, props]);
  const loose = [...own, ...(data ?? [])].filter((p) => p.role === "prop");
  const shown = loose.filter((p) =>
    words
      ? `${p.name} ${p.category} ${p.tags.join(" ")}`.toLowerCase().includes(words)
      : trolley.length === 0 || wheeled.has(p.key),
  );
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const unfold = (key: string) =>
    setOpen((now) => new Set(now.has(key) ? [...now].filter((k) => k !== key) : [...now, key]));
  // Whoever looks for a shard finds it.
  const folds = words ? shown.map((prop) => ({ prop, under: 0, inner: false })) : folded(shown, open);
  return (
    <section aria-label="Trolley" className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-baseline gap-2 px-4 pt-2.5 pb-1">
        <h2 className="font-semibold">Trolley</h2>
        <input
          id="find-prop"
          type="search"
          placeholder="find ( / )"
          aria-label="find a prop"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && shown[0]) {
              choose(shown[0]);
              e.currentTarget.blur();
            } else if (e.key === "Escape") {
              setFind("");
              e.currentTarget.blur();
            }
          }}
          className="ml-auto w-32 border-b border-edge bg-transparent px-1 text-[14px] outline-none placeholder:text-quiet focus:border-ink"
        />
      </div>
      <p className="figure px-4 pb-1 text-[12.5px] text-quiet">
        {budget.props} props on the set, {budget.triangles.toLocaleString()} triangles,{" "}
        {inMegabytes(budget.bytes)}
        {budget.unused.length > 0 && `; ${budget.unused.length} unused`}
      </p>
      <div className="px-3">
        {isPending && <p className="px-1 py-2 text-quiet">fetching the props…</p>}
        {error && <p className="px-1 py-2 text-clay-deep">{error.message}</p>}
        {data && shown.length === 0 && (
          <p className="px-1 py-2 text-quiet">
            {words ? `no prop is called “${find}”` : "The store is empty. Start the demo to fill it."}
          </p>
        )}
      </div>
      <VirtualGrid
        items={folds}
        keyOf={({ prop }) => prop.key}
        columns={3}
        row={108}
        label="props"
        className="min-h-0 flex-1 px-3 pb-3"
      >
        {({ prop: p, under, inner }) => (
          <PropCard
            prop={p}
            inner={inner}
            under={under}
            open={open.has(p.key)}
            onUnfold={() => unfold(p.key)}
            standing={standing.get(p.key) ?? 0}
            onChoose={() => choose(p)}
          />
        )}
      </VirtualGrid>
    </section>
  );
}
