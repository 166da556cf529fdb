/** The store: every prop to scale, searchable, with what the set in hand uses of it. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { type Prop, type SetData, client, wanted } from "../api/client";
import { DropZone } from "../files/DropZone";
import { inWords } from "../fit/units";
import { ActionButton } from "../slip/words";
import { budgetOf, inMegabytes } from "../trolley/budget";
import { PropHouse } from "./PropHouse";
import { PropTile } from "./PropTile";
import { type Parcel, parcelsOf, send } from "./importing";

type Unit = "mm" | "cm" | "m" | "in" | "ft";

function Parcels({ parcels, onChange }: { parcels: Parcel[]; onChange: (parcels: Parcel[]) => void }) {
  const queries = useQueryClient();
  const drop = (id: number) => onChange(parcels.filter((p) => p.id !== id));
  const correct = async (parcel: Parcel, body: { unit?: Unit; up?: "y" | "z" }) => {
    const found = await wanted<NonNullable<Parcel["found"]>>(
      client.PATCH("/api/props/{key}", { params: { path: { key: parcel.found!.prop.key } }, body }),
    );
    onChange(parcels.map((p) => (p.id === parcel.id ? { ...p, found } : p)));
    await queries.invalidateQueries({ queryKey: ["props"] });
  };
  if (!parcels.length) return null;
  return (
    <ul aria-label="Arriving" className="mb-5 divide-y divide-rule border border-rule bg-card">
      {parcels.map((p) => (
        <li key={p.id} className="px-4 py-2">
          <div className="flex items-baseline gap-3">
            <strong className="truncate">{p.found?.prop.name ?? p.name}</strong>
            {!p.found && !p.problem && (
              <>
                <span className="figure text-quiet" role="status">
                  {p.sent < 1 ? `sending, ${Math.round(p.sent * 100)} %` : "measuring…"}
                </span>
                <button type="button" className="ml-auto hover:text-clay-deep" onClick={() => p.stop.abort()}>
                  stop
                </button>
              </>
            )}
            {p.found && (
              <span className="figure text-quiet">
                {inWords(p.found.prop.width)} across, {inWords(p.found.prop.height)} up,{" "}
                {inWords(p.found.prop.depth)} along
              </span>
            )}
            {(p.found || p.problem) && (
              <button type="button" className="ml-auto hover:text-clay-deep" onClick={() => drop(p.id)}>
                put away
              </button>
            )}
          </div>
          {p.problem && (
            <p role="alert" className="text-clay-deep">
              {p.problem}
            </p>
          )}
          {p.found?.questions.map((q) => (
            <p key={q.about} className="mt-1 flex flex-wrap items-baseline gap-3">
              <span>{q.text}</span>
              {q.about === "unit" ? (
                <>
                  <ActionButton onClick={() => void correct(p, { unit: q.proposal as Unit })}>
                    {q.proposal === "m" ? "Yes, it is right" : `Take it in ${q.proposal}`}
                  </ActionButton>
                  {(["mm", "cm", "in", "ft"] as Unit[])
                    .filter((u) => u !== q.proposal)
                    .map((u) => (
                      <button
                        key={u}
                        type="button"
                        className="word"
                        onClick={() => void correct(p, { unit: u })}
                      >
                        in {u}
                      </button>
                    ))}
                  {q.proposal !== "m" && (
                    <button type="button" className="word" onClick={() => void correct(p, { unit: "m" })}>
                      it is right as it is
                    </button>
                  )}
                </>
              ) : (
                <>
                  <ActionButton onClick={() => void correct(p, { up: "z" })}>Yes, stand it up</ActionButton>
                  <button type="button" className="word" onClick={() => void correct(p, { up: "y" })}>
                    no, leave it
                  </button>
                </>
              )}
            </p>
          ))}
        </li>
      ))}
    </ul>
  );
}

export default function StorePage() {
  const [params, setParams] = useSearchParams();
  const setKey = params.get("set") || null;
  const house = params.get("from") === "prop-house";
  const queries = useQueryClient();
  const [find, setFind] = useState("");
  const [category, setCategory] = useState<string | null>(null);
  const [tag, setTag] = useState<string | null>(null);
  const [only, setOnly] = useState<"all" | "used" | "unused">("all");
  const [parcels, setParcels] = useState<Parcel[]>([]);
  const input = useRef<HTMLInputElement>(null);
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
  const categories = [...new Set(props.map((p) => p.category))].sort();
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
        if (now.found) void queries.invalidateQueries({ queryKey: ["props"] });
      });
  };
  const wheel = async (prop: Prop) => {
    const on = trolley.includes(prop.key);
    const packed = on ? trolley.filter((k) => k !== prop.key) : [...trolley, prop.key];
    await wanted(
      client.POST("/api/sets/{key}/moves", {
        params: { path: { key: setKey! } },
        body: { move: { kind: "adjust", trolley: packed } },
      }),
    );
    await queries.invalidateQueries({ queryKey: ["set in hand", setKey] });
  };
  const side = (chosen: boolean) =>
    `block w-full rounded-sm px-2 py-0.5 text-left ${chosen ? "bg-wash font-semibold" : "hover:bg-card"}`;
  const tab = (to: string | null) => {
    const next = new URLSearchParams(params);
    if (to) next.set("from", to);
    else next.delete("from");
    setParams(next);
  };
  return (
    <DropZone onFiles={receive}>
      <header className="flex items-baseline gap-5 border-b border-rule bg-card px-6 py-3">
        <Link to="/" aria-label="All sets" className="self-center">
          <img src="/mark.svg" alt="" width={26} height={26} />
        </Link>
        <h1 className="text-[20px] font-semibold">Store</h1>
        {dressed.data && (
          <Link to={`/sets/${setKey}`} className="word">
            back to {dressed.data.name}
          </Link>
        )}
        <nav aria-label="where from" className="flex gap-4">
          <button
            type="button"
            aria-current={!house}
            className={house ? "hover:text-clay-deep" : "font-semibold"}
            onClick={() => tab(null)}
          >
            on our shelves
          </button>
          <button
            type="button"
            aria-current={house}
            className={house ? "font-semibold" : "hover:text-clay-deep"}
            onClick={() => tab("prop-house")}
          >
            from the prop house
          </button>
        </nav>
        <input
          type="search"
          aria-label="find in the store"
          placeholder="find by name, tag, category"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          className="ml-auto w-64 border-b border-rule bg-transparent px-1 outline-none placeholder:text-quiet focus:border-ink"
        />
        <ActionButton onClick={() => input.current?.click()}>Bring props</ActionButton>
        <input
          ref={input}
          type="file"
          multiple
          className="hidden"
          aria-label="models to bring into the store"
          onChange={(e) => {
            receive([...(e.target.files ?? [])]);
            e.target.value = "";
          }}
        />
      </header>
      <div className="mx-auto grid max-w-[1500px] grid-cols-[200px_1fr] gap-6 px-6 py-5">
        <aside aria-label="Categories" className="text-[15px]">
          <button
            type="button"
            className={side(!category)}
            onClick={() => {
              setCategory(null);
              setTag(null);
            }}
          >
            everything <span className="figure text-quiet">{props.length}</span>
          </button>
          {categories.map((c) => (
            <div key={c}>
              <button
                type="button"
                className={side(category === c && !tag)}
                onClick={() => {
                  setCategory(c);
                  setTag(null);
                }}
              >
                {c} <span className="figure text-quiet">{props.filter((p) => p.category === c).length}</span>
              </button>
              {category === c &&
                tags.map((t) => (
                  <button
                    key={t}
                    type="button"
                    className={`${side(tag === t)} pl-6 text-[14px]`}
                    onClick={() => setTag(t)}
                  >
                    {t}
                  </button>
                ))}
            </div>
          ))}
          {budget && (
            <section aria-label="Budget" className="mt-5 border-t border-rule pt-3 text-[14px]">
              <h2 className="font-semibold">On this set</h2>
              <p className="figure">
                {budget.props} props
                <br />
                {budget.triangles.toLocaleString()} triangles
                <br />
                {inMegabytes(budget.bytes)}
              </p>
              <div role="group" aria-label="show" className="mt-1 flex gap-3">
                {(["all", "used", "unused"] as const).map((o) => (
                  <button
                    key={o}
                    type="button"
                    aria-pressed={only === o}
                    className={only === o ? "font-semibold underline" : "hover:text-clay-deep"}
                    onClick={() => setOnly(o)}
                  >
                    {o}
                  </button>
                ))}
              </div>
              {budget.unused.length > 0 && (
                <p className="mt-2 text-quiet">
                  {budget.unused.length} on the trolley stand nowhere yet.{" "}
                  <button
                    type="button"
                    className="word"
                    onClick={() => {
                      const used = trolley.filter((k) => !budget.unused.includes(k));
                      void wanted(
                        client.POST("/api/sets/{key}/moves", {
                          params: { path: { key: setKey! } },
                          body: { move: { kind: "adjust", trolley: used } },
                        }),
                      ).then(() => queries.invalidateQueries({ queryKey: ["set in hand", setKey] }));
                    }}
                  >
                    clear them
                  </button>
                </p>
              )}
            </section>
          )}
        </aside>
        <main>
          <Parcels parcels={parcels} onChange={setParcels} />
          {house ? (
            <PropHouse />
          ) : (
            <>
              {isPending && <p className="text-quiet">fetching the props…</p>}
              {error && <p className="text-clay-deep">{error.message}</p>}
              {data && shown.length === 0 && (
                <p>
                  {words || category || only !== "all"
                    ? "Nothing like that is in the store."
                    : "The store is empty. Drop models anywhere on this page: GLB, glTF, OBJ, PLY, STL or USD."}
                </p>
              )}
              <div className="grid grid-cols-[repeat(auto-fill,minmax(216px,1fr))] gap-4">
                {shown.map((p) => (
                  <PropTile
                    key={p.key}
                    prop={p}
                    standing={standing.get(p.key) ?? 0}
                    onTrolley={setKey ? trolley.includes(p.key) : null}
                    onWheel={() => void wheel(p)}
                  />
                ))}
              </div>
            </>
          )}
        </main>
      </div>
    </DropZone>
  );
}
