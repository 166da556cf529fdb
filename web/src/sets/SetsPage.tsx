/** Home: every set of the dresser, how it stands, and a way to open one from a file. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate } from "react-router";

import { type SetCard, client, wanted } from "../api/client";
import { Glyph, STATE_ORDER } from "../fit/Glyph";

function ago(when: string): string {
  const minutes = Math.round((Date.now() - new Date(when).getTime()) / 60000);
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${minutes} min ago`;
  if (minutes < 48 * 60) return `${Math.round(minutes / 60)} h ago`;
  return new Date(when).toLocaleDateString();
}

/** The set's level line in small: one tick a piece, faults standing out of it. */
function SmallLine({ card }: { card: SetCard }) {
  const faults = STATE_ORDER.filter((s) => s !== "seated").flatMap((s) =>
    Array<string>(card.counts[s] ?? 0).fill(s),
  );
  const total = Math.max(1, card.pieces);
  const step = Math.min(9, 300 / total);
  const every = Math.max(1, Math.floor(total / Math.max(1, faults.length)));
  return (
    <svg viewBox="0 0 312 46" width="100%" height="46" aria-hidden="true" preserveAspectRatio="xMinYMid">
      <path d={`M4 28h${step * total + 4}`} stroke="#22303a" strokeWidth="1.4" />
      {Array.from({ length: total }, (_, i) => {
        const fault = i % every === Math.floor(every / 2) ? faults[Math.floor(i / every)] : undefined;
        const x = 6 + i * step;
        const w = Math.max(1, step * 0.6);
        if (!fault || !card.pieces)
          return card.pieces ? <rect key={i} x={x} y={25} width={w} height={3} fill="#5f6b72" /> : null;
        const below = fault === "sunk" || fault === "clashing";
        return <rect key={i} x={x} y={below ? 30 : 8} width={w} height={below ? 12 : 20} fill="#a9482a" />;
      })}
    </svg>
  );
}

export default function SetsPage() {
  const { data, error, isPending } = useQuery({
    queryKey: ["sets"],
    queryFn: () => wanted<SetCard[]>(client.GET("/api/sets")),
  });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const opening = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return wanted<SetCard>(
        client.POST("/api/sets/open", {
          body: body as unknown as { file: string },
          bodySerializer: (b) => b as unknown as FormData,
        }),
      );
    },
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["sets"] });
      void navigate(`/sets/${made.key}`);
    },
  });
  return (
    <div
      className={`min-h-full ${over ? "bg-wash" : ""}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const file = e.dataTransfer.files[0];
        if (file) opening.mutate(file);
      }}
    >
      <header className="mx-auto flex max-w-5xl items-baseline gap-4 px-6 pt-10 pb-6">
        <img src="/mark.svg" alt="" width={34} height={34} className="self-center" />
        <h1 className="text-[28px] font-semibold">Brick Seat</h1>
        <p className="text-quiet">Everything sits, and is measured.</p>
        <button
          type="button"
          className="ml-auto rounded-sm bg-clay px-4 py-1.5 font-semibold text-card hover:bg-clay-deep disabled:bg-rule disabled:text-quiet"
          onClick={() => input.current?.click()}
          disabled={opening.isPending}
        >
          {opening.isPending ? "Opening…" : "Open a set"}
        </button>
        <input
          ref={input}
          type="file"
          accept=".glb,.gltf"
          className="hidden"
          aria-label="a set as .glb or .gltf"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) opening.mutate(file);
            e.target.value = "";
          }}
        />
      </header>
      <main className="mx-auto max-w-5xl px-6 pb-16">
        {opening.error && (
          <p role="alert" className="mb-4 border-l-4 border-clay bg-card px-3 py-2">
            It could not be opened: {opening.error.message}.
          </p>
        )}
        {isPending && <p className="text-quiet">fetching your sets…</p>}
        {error && <p className="text-clay-deep">{error.message}</p>}
        {data?.length === 0 && (
          <p className="text-lg">
            No set yet. Open one from a .glb file, or start the demo to walk round Hollow Hill Pottery.
          </p>
        )}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(320px,1fr))] gap-5">
          {data?.map((card) => (
            <li key={card.key}>
              <Link
                to={`/sets/${card.key}`}
                className="block rounded-sm border border-rule bg-card px-4 pt-3 pb-3 hover:border-ink"
              >
                <div className="flex items-baseline">
                  <h2 className="text-[18px] font-semibold">{card.name}</h2>
                  <span className="ml-auto text-[13px] text-quiet">{ago(card.changed)}</span>
                </div>
                <SmallLine card={card} />
                <p className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[14px]">
                  <span className="figure text-quiet">{card.pieces} pieces</span>
                  {STATE_ORDER.filter((s) => (card.counts[s] ?? 0) > 0).map((s) => (
                    <span key={s} className="figure flex items-center gap-1">
                      <Glyph state={s} size={16} />
                      <span className={s === "seated" ? "text-quiet" : "font-semibold text-clay-deep"}>
                        {card.counts[s]} {s}
                      </span>
                    </span>
                  ))}
                </p>
              </Link>
            </li>
          ))}
        </ul>
      </main>
    </div>
  );
}
