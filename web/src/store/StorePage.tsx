/** The store: every prop to scale, searchable, with what the set in hand uses of it. */
import { told } from "../ui/telling";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { type Prop, type SetData, client, wanted } from "../api/client";
import { askAgain } from "../api/askAgain";
import { DropZone } from "../files/DropZone";
import { ActionButton } from "../ui/buttons";
import { budgetOf } from "../trolley/budget";
import { PropHouse } from "./PropHouse";
import { Space } from "./Space";
import { PropTile } from "./PropTile";
import { VirtualGrid } from "../ui/VirtualGrid";
import { Categories } from "./Categories";
import { type Only, OnThisSet } from "./OnThisSet";
import { Parcels } from "./Parcels";
import { type Parcel, parcelsOf, send } from "./importing";

const TAB = "whitespace-nowrap hover:text-clay-deep data-[state=active]:font-semibold";

export default function StorePage() {
  const [params, setParams] = useSearchParams();
  const setKey = params.get("set") || null;
  const house = params.get("from") === "prop-house";
  const queries = useQueryClient();
  const [find, setFind] = useState("");
  const [category, setCategory] = useState<string | null>(null);
  const [tag, setTag] = useState<string | null>(null);
  const [only, setOnly] = useState<Only>("all");
  const [parcels, setParcels] = useState<Parcel[]>([]);
  const { data, error, isPending } = useQuery({
    queryKey: ["props"],
    queryFn: () => wanted<Prop[]>(client.GET("/api/props")),
  });
  const dressed = useQuery({
    queryKey: ["set in hand", setKey],
    enabled: setKey !== null,
    queryFn: () => wanted<SetData>(client.GET("/api/sets/{key}", { params: { path: { key: setKey! } } })),
  });
  const standing = useMemo(() => {
    const count = new Map<string, number>();
    for (const p of dressed.data?.pieces ?? []) count.set(p.prop, (count.get(p.prop) ?? 0) + 1);
    return count;
  }, [dressed.data]);
  const trolley = dressed.data?.trolley ?? [];
  const props = (data ?? []).filter((p) => p.role === "prop");
  const inCategory = props.filter((p) => !category || p.category === category);
  const tags = [...new Set(inCategory.flatMap((p) => p.tags))].sort();
  const words = find.trim().toLowerCase();
  const shown = inCategory.filter(
    (p) =>
      (!tag || p.tags.includes(tag)) &&
      (!words || `${p.name} ${p.category} ${p.tags.join(" ")}`.toLowerCase().includes(words)) &&
      (only === "all" || (only === "used") === standing.has(p.key)),
  );
  const budget =
    dressed.data &&
    budgetOf(
      new Map(dressed.data.pieces.map((p) => [p.key, p])),
      new Map([...(data ?? []), ...dressed.data.props].map((p) => [p.key, p])),
      trolley,
    );
  const receive = (files: File[]) => {
    const fresh = parcelsOf(files);
    setParcels((old) => [...fresh, ...old]);
    for (const parcel of fresh)
      void send(parcel, (now) => {
        setParcels((old) => old.map((p) => (p.id === now.id ? now : p)));
        if (now.found) void askAgain(queries, ["props"]);
      });
  };
  const pack = async (move: { trolley_add: string[] } | { trolley_remove: string[] }) => {
    await told(
      wanted(
        client.POST("/api/sets/{key}/moves", {
          params: { path: { key: setKey! } },
          body: { move: { kind: "adjust", ...move } },
        }),
      ),
    );
    await askAgain(queries, ["set in hand", setKey]);
  };
  const wheel = ({ key }: Prop) =>
    pack(trolley.includes(key) ? { trolley_remove: [key] } : { trolley_add: [key] });
  const clear = (unused: string[]) => pack({ trolley_remove: unused });
  const tab = (to: string) => {
    const next = new URLSearchParams(params);
    if (to === "prop-house") next.set("from", to);
    else next.delete("from");
    setParams(next);
  };
  return (
    <DropZone onFiles={receive} label="models to bring into the store" several>
      {(choose) => (
        <Tabs.Root
          value={house ? "prop-house" : "shelves"}
          onValueChange={tab}
          className="flex h-dvh flex-col"
        >
          <header className="flex items-baseline gap-4 border-b border-rule bg-card px-6 py-3">
            <Link to="/" aria-label="All sets" className="self-center">
              <img src="/mark.svg" alt="" width={26} height={26} />
            </Link>
            <h1 className="text-[20px] font-semibold">Store</h1>
            {dressed.data && (
              <Link to={`/sets/${setKey}`} className="word min-w-0 truncate">
                back to {dressed.data.name}
              </Link>
            )}
            <Tabs.List aria-label="where from" className="flex gap-4">
              <Tabs.Trigger value="shelves" className={TAB}>
                on our shelves
              </Tabs.Trigger>
              <Tabs.Trigger value="prop-house" className={TAB}>
                from the prop house
              </Tabs.Trigger>
            </Tabs.List>
            <input
              type="search"
              aria-label="find in the store"
              placeholder="find by name, tag, category"
              value={find}
              onChange={(e) => setFind(e.target.value)}
              className="ml-auto w-64 min-w-32 shrink border-b border-edge bg-transparent px-1 outline-none placeholder:text-quiet focus:border-ink"
            />
            <ActionButton onClick={choose}>Bring props</ActionButton>
          </header>
          <div className="mx-auto grid min-h-0 w-full max-w-[1500px] flex-1 grid-cols-[200px_1fr] gap-6 px-6 pt-5">
            <div className="overflow-y-auto pb-5">
              <Categories
                props={props}
                category={category}
                tag={tag}
                tags={tags}
                onChoose={(c, t) => {
                  setCategory(c);
                  setTag(t);
                }}
              >
                {budget && (
                  <OnThisSet
                    budget={budget}
                    only={only}
                    onOnly={setOnly}
                    onClear={() => void clear(budget.unused)}
                  />
                )}
                <Space />
              </Categories>
            </div>
            <main className="flex min-h-0 flex-col">
              <Parcels parcels={parcels} onChange={setParcels} />
              <Tabs.Content value="prop-house" className="min-h-0 overflow-y-auto pb-5">
                <PropHouse />
              </Tabs.Content>
              <Tabs.Content
                value="shelves"
                className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden"
              >
                {isPending && <p className="text-quiet">fetching the props…</p>}
                {error && <p className="text-clay-deep">{error.message}</p>}
                {data && shown.length === 0 && (
                  <p>
                    {words || category || only !== "all"
                      ? "Nothing like that is in the store."
                      : "The store is empty. Drop models anywhere on this page: GLB, glTF, OBJ, PLY, STL or USD."}
                  </p>
                )}
                <VirtualGrid
                  items={shown}
                  keyOf={(p) => p.key}
                  columns={{ least: 216 }}
                  row={270}
                  gap={16}
                  label="props"
                  className="min-h-0 flex-1 pb-5"
                >
                  {(p) => (
                    <PropTile
                      prop={p}
                      standing={standing.get(p.key) ?? 0}
                      onTrolley={setKey ? trolley.includes(p.key) : null}
                      onWheel={() => void wheel(p)}
                    />
                  )}
                </VirtualGrid>
              </Tabs.Content>
            </main>
          </div>
        </Tabs.Root>
      )}
    </DropZone>
  );
}
