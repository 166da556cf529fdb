/** Home: every set of the dresser, how it stands, and a way to open one from a file. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";

import { type SetCard, client, wanted } from "../api/client";
import { groupsOf, sendSet } from "./opening";
import { WholeOrParts } from "./WholeOrParts";
import { askAgain } from "../api/askAgain";
import { DropZone } from "../files/DropZone";
import { Glyph, STATE_ORDER } from "../fit/Glyph";

function ago(when: string): string {
  const minutes = Math.round((Date.now() - new Date(when).getTime()) / 60000);
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${minutes} min ago`;
  if (minutes < 48 * 60) return `${Math.round(minutes / 60)} h ago`;
  return new Date(when).toLocaleDateString();
}

const FILLS: Record<string, string> = { bearer: "#efe7d8", seated: "#cbb99b", fault: "#a9482a" };
const EDGES: Record<string, string> = { bearer: "#d3c6b0", seated: "#8f7f66", fault: "#7c2f19" };

/** The set from above, until a picture of it was drawn: what stands where, faults in clay. */
function Plan({ card }: { card: SetCard }) {
  const pieces = card.plan.filter((f) => f[4] !== "bearer");
  const all = pieces.length ? pieces : card.plan;
  if (!all.length)
    return <div className="grid h-44 place-items-center bg-paper text-quiet">nothing stands here yet</div>;
  const x0 = Math.min(...all.map((f) => f[0]));
  const z0 = Math.min(...all.map((f) => f[1]));
  const x1 = Math.max(...all.map((f) => f[2]));
  const z1 = Math.max(...all.map((f) => f[3]));
  const margin = 0.06 * Math.max(x1 - x0, z1 - z0) + 0.1;
  const box = [x0 - margin, z0 - margin, x1 - x0 + 2 * margin, z1 - z0 + 2 * margin];
  return (
    <svg viewBox={box.join(" ")} className="block h-56 w-full bg-paper" aria-hidden="true">
      {card.plan.map(([a, b, c, d, kind], i) => (
        <rect
          key={i}
          x={a}
          y={b}
          width={c - a}
          height={d - b}
          rx={Math.min(c - a, d - b) * (kind === "bearer" ? 0.02 : 0.3)}
          fill={FILLS[kind]}
          stroke={EDGES[kind]}
          strokeWidth="1"
          vectorEffect="non-scaling-stroke"
          fillOpacity={kind === "bearer" ? 0.5 : 0.85}
        />
      ))}
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
  const starting = useMutation({
    mutationFn: () => wanted<SetCard>(client.POST("/api/sets", { body: { name: "New set" } })),
    onSuccess: async (made) => {
      await askAgain(queries, ["sets"]);
      void navigate(`/sets/${made.key}`);
    },
  });
  const opening = useMutation({
    meta: { saidBeside: true },
    mutationFn: ({ file, whole }: { file: File; whole: string[] }) => sendSet(file, whole),
    onSuccess: async (made) => {
      await askAgain(queries, ["sets"]);
      void navigate(`/sets/${made.key}`);
    },
  });
  // A chair and a group of cups look alike in a file: it is asked once, and never guessed.
  const looking = useMutation({
    meta: { saidBeside: true },
    mutationFn: async (file: File) => ({ file, groups: await groupsOf(file) }),
    onSuccess: ({ file, groups }) => {
      if (!groups.length) opening.mutate({ file, whole: [] });
    },
  });
  const asked = looking.data?.groups.length && opening.isIdle ? looking.data : null;
  const busy = looking.isPending || opening.isPending;
  const failed = looking.error ?? opening.error;
  return (
    <DropZone
      onFiles={(files) => {
        opening.reset();
        if (files[0]) looking.mutate(files[0]);
      }}
      label="a set as .glb or .gltf"
    >
      {(choose) => (
        <>
          <header className="mx-auto flex max-w-5xl items-baseline gap-4 px-6 pt-10 pb-6">
            <img src="/mark.svg" alt="" width={34} height={34} className="self-center" />
            <h1 className="text-[28px] font-semibold">Brick Seat</h1>
            <p className="text-quiet">Everything sits, and is measured.</p>
            <Link to="/store" className="ml-auto hover:text-clay-deep">
              store
            </Link>
            <button type="button" className="hover:text-clay-deep" onClick={() => starting.mutate()}>
              new set
            </button>
            <button
              type="button"
              className="rounded-sm bg-clay px-4 py-1.5 font-semibold text-card hover:bg-clay-deep disabled:bg-rule disabled:text-quiet"
              onClick={choose}
              disabled={busy}
            >
              {busy ? "Opening…" : "Open a set"}
            </button>
          </header>
          <main className="mx-auto max-w-5xl px-6 pb-16">
            {failed && (
              <p role="alert" className="mb-4 border-l-4 border-clay bg-card px-3 py-2">
                It could not be opened: {failed.message}.
              </p>
            )}
            {asked && (
              <WholeOrParts
                file={asked.file.name}
                groups={asked.groups}
                onOpen={(whole) => opening.mutate({ file: asked.file, whole })}
                onCancel={() => looking.reset()}
              />
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
                    className="block h-full overflow-hidden rounded-sm border border-edge bg-card hover:border-ink"
                  >
                    {card.picture ? (
                      <img src={card.picture} alt="" className="block h-56 w-full object-cover" />
                    ) : (
                      <Plan card={card} />
                    )}
                    <div className="flex items-baseline border-t border-rule px-4 pt-2.5">
                      <h2 className="text-[18px] font-semibold">
                        {card.name}
                        {card.owner && <span className="font-normal text-quiet">, {card.owner}’s</span>}
                      </h2>
                      <span className="ml-auto text-[13px] text-quiet">{ago(card.changed)}</span>
                    </div>
                    <p className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 pt-1 pb-3 text-[14px]">
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
        </>
      )}
    </DropZone>
  );
}
