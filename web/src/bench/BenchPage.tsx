/** The bench: one prop large, what is measured of it, and everything that is said about it. */
import { tell } from "../ui/telling";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { type ContactShape, type PropDetail, type Schemas, client, wanted } from "../api/client";
import { askAgain } from "../api/askAgain";
import { inWords } from "../fit/units";
import type { Seat } from "../seats/frames";
import { QuietButton } from "../ui/buttons";
import type { Changes } from "./changes";
import { Contact, type Kind } from "./Contact";
import { Joints } from "./Joints";
import { MeshHealth } from "./MeshHealth";
import { Naming } from "./Naming";
import { PropView, type SeatHands, type Turn } from "./PropView";
import { Seats } from "./Seats";
import { freshName } from "./seatEdits";
import { Size } from "./Size";
import { Weight } from "./Weight";

export default function BenchPage() {
  const { key = "" } = useParams();
  const { data, error, isPending } = useQuery({
    queryKey: ["bench", key],
    queryFn: () => wanted<PropDetail>(client.GET("/api/props/{key}", { params: { path: { key } } })),
    retry: 1,
  });
  if (error)
    return (
      <main className="grid h-full place-items-center">
        <p>
          {error.message}.{" "}
          <Link to="/store" className="word">
            back to the store
          </Link>
        </p>
      </main>
    );
  if (isPending)
    return (
      <main className="grid h-full place-items-center text-quiet" role="status">
        measuring the prop…
      </main>
    );
  return <Bench key={key} detail={data} />;
}

function Bench({ detail }: { detail: PropDetail }) {
  const { prop } = detail;
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<PropView | null>(null);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [side, setSide] = useState<number | null>(null);
  const [covered, setCovered] = useState(false);
  const [turns, setTurns] = useState<Turn[]>([]);
  const kind = (prop.contact || "best") as Kind;
  const contact = useQuery({
    queryKey: ["contact", prop.key, prop.file, kind],
    queryFn: () =>
      wanted<ContactShape>(
        client.GET("/api/props/{key}/contact/{kind}", { params: { path: { key: prop.key, kind } } }),
      ),
    staleTime: Infinity,
  });
  const changing = ["bench", prop.key, "change"];
  const change = useMutation({
    mutationKey: changing,
    // One after the other: what is changed while the last change is on its way builds on that one.
    scope: { id: changing.join(" ") },
    mutationFn: (body: Changes) =>
      wanted<PropDetail>(client.PATCH("/api/props/{key}", { params: { path: { key: prop.key } }, body })),
    onSuccess: async (now) => {
      // An answer that others wait behind is older than what is shown.
      if (queries.isMutating({ mutationKey: changing }) === 1) queries.setQueryData(["bench", prop.key], now);
      await askAgain(queries, ["props"]);
    },
    onError: async () => {
      await askAgain(queries, ["bench", prop.key], true);
    },
  });
  const remove = useMutation({
    mutationFn: () => wanted(client.DELETE("/api/props/{key}", { params: { path: { key: prop.key } } })),
    onSuccess: async () => {
      await askAgain(queries, ["props"]);
      void navigate("/store");
    },
  });

  const [seat, setSeat] = useState<string | null>(null);
  const [suggested, setSuggested] = useState<Seat[]>([]);
  /** The seats as they are shown now, which may be newer than this rendering. */
  const seatsNow = () => queries.getQueryData<PropDetail>(["bench", prop.key])?.prop.seats ?? prop.seats;
  /** Keep these seats; they are shown before the server has answered. */
  const keepSeats = (seats: Seat[]) => {
    queries.setQueryData<PropDetail>(
      ["bench", prop.key],
      (old) => old && { ...old, prop: { ...old.prop, seats } },
    );
    change.mutate({ seats });
  };
  /** A seat where the model was pressed; a press beside it lets go of the chosen one. */
  const pressed: SeatHands["pressed"] = (origin, direction, pixel) => {
    void wanted<Schemas["CaughtSchema"]>(
      client.POST("/api/props/{key}/catch", {
        params: { path: { key: prop.key } },
        body: { origin, direction, pixel },
      }),
    ).then(({ what, frame }) => {
      if (!what || !frame) return setSeat(null);
      const name = freshName(what === "face" ? "side" : what, seatsNow());
      keepSeats([...seatsNow(), { ...frame, name, step_deg: 0, label: "", many: false }]);
      setSeat(name);
    }, tell);
  };
  const hands = useRef<SeatHands | null>(null);
  const chosen = (name: string) => setSeat(name);
  const turned = (after: Seat) => keepSeats(seatsNow().map((s) => (s.name === after.name ? after : s)));
  // The view is made once; what its hands do is what they do on the page as it is now.
  useEffect(() => {
    hands.current = { pressed, chosen, turned };
  });

  useEffect(() => {
    if (!host.current) return;
    const made = new PropView(host.current, {
      pressed: (...where) => hands.current?.pressed(...where),
      chosen: (name) => hands.current?.chosen(name),
      turned: (after) => hands.current?.turned(after),
    });
    view.current = made;
    return () => {
      made.dispose();
      view.current = null;
    };
  }, []);
  useEffect(() => {
    view.current?.show(prop.file).catch(tell);
  }, [prop.file]);
  useEffect(() => {
    view.current?.cover(covered ? (contact.data?.file ?? null) : null).catch(tell);
  }, [covered, contact.data, prop.file]);
  useEffect(() => view.current?.bend(turns), [turns]);
  useEffect(() => view.current?.showSeats(prop.seats, seat, suggested), [prop.seats, seat, suggested]);

  const set = (body: Changes) => change.mutate(body);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_420px] grid-rows-[auto_minmax(0,1fr)]">
      <header className="col-span-2 flex items-baseline gap-5 border-b border-rule bg-card px-6 py-3">
        <Link to="/" aria-label="All sets" className="self-center">
          <img src="/mark.svg" alt="" width={26} height={26} />
        </Link>
        <h1 className="text-[20px] font-semibold">{prop.name}</h1>
        <span className="text-quiet">on the bench</span>
        <Link to="/store" className="word">
          to the store
        </Link>
        <span className="ml-auto text-[14px] text-quiet" role="status">
          {change.isPending ? "measuring again…" : `${detail.standing} on sets`}
        </span>
      </header>
      <main className="relative min-h-0">
        <div ref={host} className="absolute inset-0" data-testid="bench-view" />
        <p className="figure pointer-events-none absolute top-3 left-4 rounded-sm bg-card/85 px-2 text-[14px]">
          {inWords(prop.width)} across, {inWords(prop.height)} up, {inWords(prop.depth)} along
        </p>
        <div
          role="group"
          aria-label="Resting sides"
          className="absolute right-4 bottom-3 left-4 flex gap-2 overflow-x-auto pb-1"
        >
          {detail.sides.map((s, i) => (
            <button
              key={i}
              type="button"
              aria-pressed={side === i}
              onClick={() => {
                setSide(i);
                view.current?.stand(s.orientation);
              }}
              className={`shrink-0 rounded-sm border px-2 py-1 text-left text-[13px] leading-snug ${
                side === i ? "border-clay bg-card" : "border-edge bg-card/85 hover:border-ink"
              }`}
            >
              <span className="font-semibold">{i === 0 ? "stands best" : `stands ${i + 1}`}</span>
              <br />
              <span className="figure text-quiet">
                {inWords(s.height)} tall, tips at {s.steadiness_deg.toFixed(0)}°
              </span>
            </button>
          ))}
          {detail.sides.length === 0 && (
            <p className="rounded-sm bg-card/85 px-2 text-[14px]">
              It has no side it could stand on by itself.
            </p>
          )}
        </div>
      </main>
      <aside className="overflow-y-auto border-l border-rule px-6 py-4 leading-relaxed">
        <Naming detail={detail} set={set} />
        <Size detail={detail} set={set} />
        <Weight detail={detail} set={set} />
        <Contact
          detail={detail}
          shape={contact.data}
          covered={covered}
          onCover={() => setCovered(!covered)}
          set={set}
        />
        <Seats
          detail={detail}
          seats={prop.seats}
          chosen={seat}
          choose={setSeat}
          keep={keepSeats}
          suggested={suggested}
          setSuggested={setSuggested}
        />
        <MeshHealth detail={detail} />
        <Joints detail={detail} turns={turns} setTurns={setTurns} />
        {detail.poses.length > 0 && (
          <p className="mt-2">
            Poses:{" "}
            {detail.poses.map((p) => (
              <Link key={p.key} to={`/bench/${p.key}`} className="word mr-2">
                {p.name}
              </Link>
            ))}
          </p>
        )}
        {prop.posed_from && (
          <p className="mt-2">
            A pose of{" "}
            <Link to={`/bench/${prop.posed_from}`} className="word">
              the prop it was bent from
            </Link>
            .
          </p>
        )}
        {prop.mine && (
          <p className="mt-6 border-t border-rule pt-3">
            <QuietButton
              onClick={() => remove.mutate()}
              disabled={detail.standing > 0}
              why="Copies of it stand on sets; take them away first."
            >
              Take it out of the store
            </QuietButton>
          </p>
        )}
      </aside>
    </div>
  );
}
