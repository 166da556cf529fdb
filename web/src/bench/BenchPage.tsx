/** The bench: one prop large, what is measured of it, and everything that is said about it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { toast } from "sonner";

import { type ContactShape, type PropDetail, type Schemas, client, wanted } from "../api/client";
import { inMillimetres, inWords, parseFigure, parseLength } from "../fit/units";
import { inDegrees, inPercent } from "../slip/figures";
import { ActionButton, ChoiceWord, NumberWord, QuietButton } from "../slip/words";
import { PropView, type Turn } from "./PropView";

type Changes = Schemas["PropChanges"];
type Kind = "best" | "ball" | "box" | "capsule" | "hull" | "parts";

const inKilograms = {
  show: (v: number) => `${v < 10 ? v.toFixed(2) : v.toFixed(0)} kg`,
  read: (text: string) => parseFigure(text.replace(/kg/i, ""), []),
};
const inFactor = { show: (v: number) => v.toFixed(2), read: (text: string) => parseFigure(text, []) };

/** Metres that something is taken to bear when it is first said to break. */
const USUAL_FALL = 0.25;

const SHAPES: { value: Kind; words: string }[] = [
  { value: "best", words: "the best shape" },
  { value: "box", words: "a box" },
  { value: "ball", words: "a ball" },
  { value: "capsule", words: "a capsule" },
  { value: "hull", words: "a hull" },
  { value: "parts", words: "convex parts" },
];

function Words({
  label,
  value,
  onDone,
  wide,
}: {
  label: string;
  value: string;
  onDone: (v: string) => void;
  wide?: boolean;
}) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text !== null && text.trim() !== value) onDone(text.trim());
    setText(null);
  };
  return (
    <input
      aria-label={label}
      value={text ?? value}
      placeholder={wide ? "nothing yet" : undefined}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setText(null);
      }}
      className={`border-b-[1.5px] border-clay bg-transparent font-semibold outline-none [field-sizing:content] focus:bg-wash ${wide ? "max-w-72 min-w-24" : "max-w-48 min-w-12"}`}
    />
  );
}

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
  const [poseName, setPoseName] = useState("");
  const kind = (prop.contact || "best") as Kind;
  const contact = useQuery({
    queryKey: ["contact", prop.key, prop.file, kind],
    queryFn: () =>
      wanted<ContactShape>(
        client.GET("/api/props/{key}/contact/{kind}", { params: { path: { key: prop.key, kind } } }),
      ),
    staleTime: Infinity,
  });
  const change = useMutation({
    mutationFn: (body: Changes) =>
      wanted<PropDetail>(client.PATCH("/api/props/{key}", { params: { path: { key: prop.key } }, body })),
    onSuccess: async (now) => {
      queries.setQueryData(["bench", prop.key], now);
      await queries.invalidateQueries({ queryKey: ["props"] });
    },
    onError: (problem) => toast.error(problem.message),
  });
  const pose = useMutation({
    mutationFn: () =>
      wanted<PropDetail>(
        client.POST("/api/props/{key}/poses", {
          params: { path: { key: prop.key } },
          body: { name: poseName.trim(), turns: turns.filter((t) => t.degrees !== 0) },
        }),
      ),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["props"] });
      await queries.invalidateQueries({ queryKey: ["bench", prop.key] });
      void navigate(`/bench/${made.prop.key}`);
    },
    onError: (problem) => toast.error(problem.message),
  });
  const remove = useMutation({
    mutationFn: () => wanted(client.DELETE("/api/props/{key}", { params: { path: { key: prop.key } } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["props"] });
      void navigate("/store");
    },
    onError: (problem) => toast.error(problem.message),
  });

  useEffect(() => {
    if (!host.current) return;
    const made = new PropView(host.current);
    view.current = made;
    return () => {
      made.dispose();
      view.current = null;
    };
  }, []);
  useEffect(() => {
    view.current?.show(prop.file).catch((problem: Error) => toast.error(problem.message));
  }, [prop.file]);
  useEffect(() => {
    view.current
      ?.cover(covered ? (contact.data?.file ?? null) : null)
      .catch((problem: Error) => toast.error(problem.message));
  }, [covered, contact.data, prop.file]);
  useEffect(() => view.current?.bend(turns), [turns]);

  const set = (body: Changes) => change.mutate(body);
  const { health } = detail;
  const flaws = [
    health.open_edges > 0 && `${health.open_edges} open edges, so it has no volume of its own`,
    health.degenerate > 0 && `${health.degenerate} triangles without area`,
    health.duplicate > 0 && `${health.duplicate} triangles twice`,
    health.inward && "its faces look inward",
  ].filter((f) => f !== false);
  const heading = "mt-5 mb-1 text-[15px] font-semibold";
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
                side === i ? "border-clay bg-card" : "border-rule bg-card/85 hover:border-ink"
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
        <p>
          This is <Words label="name" value={prop.name} wide onDone={(name) => name && set({ name })} />, kept
          with{" "}
          <Words
            label="category"
            value={prop.category}
            onDone={(category) => category && set({ category })}
          />
          , tagged{" "}
          <Words
            label="tags, with commas between"
            value={prop.tags.join(", ")}
            wide
            onDone={(text) =>
              set({
                tags: text
                  .split(",")
                  .map((t) => t.trim())
                  .filter(Boolean),
              })
            }
          />
          .
        </p>
        {detail.questions.map((q) => (
          <p key={q.about} className="mt-2 border-l-4 border-clay bg-card px-3 py-1.5">
            {q.text}{" "}
            <button
              type="button"
              className="word"
              onClick={() => set(q.about === "unit" ? { unit: q.proposal as Changes["unit"] } : { up: "z" })}
            >
              {q.about === "up"
                ? "yes, stand it up"
                : q.proposal === "m"
                  ? "it is right"
                  : `take it in ${q.proposal}`}
            </button>
          </p>
        ))}
        <h2 className={heading}>Size</h2>
        <p>
          Its file is taken in{" "}
          <ChoiceWord
            label="unit"
            value={detail.unit || "said"}
            onChange={(v) => set({ unit: (v === "said" ? "" : v) as Changes["unit"] })}
            choices={[
              { value: "said", words: "the unit it says itself" },
              { value: "mm", words: "millimetres" },
              { value: "cm", words: "centimetres" },
              { value: "m", words: "metres" },
              { value: "in", words: "inches" },
              { value: "ft", words: "feet" },
            ]}
          />
          , with{" "}
          <ChoiceWord
            label="which way is up"
            value={detail.up || "said"}
            onChange={(v) => set({ up: (v === "said" ? "" : v) as Changes["up"] })}
            choices={[
              { value: "said", words: "up as it says" },
              { value: "y", words: "+Y up" },
              { value: "z", words: "+Z up" },
            ]}
          />
          .{prop.volume !== null && ` It holds ${(prop.volume * 1000).toFixed(2)} l of material.`}
        </p>
        <h2 className={heading}>Weight and grip</h2>
        <p>
          It is of{" "}
          <ChoiceWord
            label="material"
            value={prop.material}
            onChange={(material) => set({ material })}
            choices={detail.materials.map((m) => ({ value: m.key, words: m.name }))}
          />{" "}
          and weighs{" "}
          <NumberWord
            label="weight"
            value={prop.mass}
            step={0.05}
            min={0.001}
            max={100000}
            late
            {...inKilograms}
            onChange={(mass) => set({ mass })}
          />
          ; grip{" "}
          <NumberWord
            label="grip"
            value={prop.grip}
            step={0.05}
            min={0}
            max={2}
            late
            {...inFactor}
            onChange={(grip) => set({ grip })}
          />
          , bounce{" "}
          <NumberWord
            label="bounce"
            value={prop.bounce}
            step={0.05}
            min={0}
            max={1}
            late
            {...inPercent}
            onChange={(bounce) => set({ bounce })}
          />
          ; it{" "}
          <ChoiceWord
            label="breaking"
            value={prop.fall === null ? "no" : "yes"}
            onChange={(v) => set({ fall: v === "no" ? 0 : USUAL_FALL })}
            choices={[
              { value: "no", words: "never breaks" },
              { value: "yes", words: "breaks" },
            ]}
          />
          {prop.fall !== null && (
            <>
              {" "}
              when it falls{" "}
              <NumberWord
                label="fall it bears"
                value={prop.fall}
                step={0.01}
                min={0.01}
                max={5}
                late
                show={inWords}
                read={(text) => parseLength(text)}
                onChange={(fall) => set({ fall })}
              />{" "}
              or more onto something hard
            </>
          )}
          .{" "}
          {detail.own_mass && (
            <QuietButton onClick={() => set({ mass: null })}>weigh it by its material</QuietButton>
          )}
        </p>
        <h2 className={heading}>Contact shape</h2>
        <p>
          While gravity acts,{" "}
          <ChoiceWord
            label="contact shape"
            value={kind}
            onChange={(v) => set({ contact: (v === "best" ? "" : v) as Changes["contact"] })}
            choices={SHAPES}
          />{" "}
          stands for it. {contact.isPending && <span className="text-quiet">Making it…</span>}
          {contact.data?.problem && (
            <span className="text-clay-deep">None can be made: {contact.data.problem}.</span>
          )}
          {contact.data && !contact.data.problem && (
            <span className="figure">
              {SHAPES.find((s) => s.value === contact.data.kind)?.words ?? contact.data.kind}
              {contact.data.parts > 1 && `, ${contact.data.parts} of them`}:{" "}
              <span className={contact.data.good ? "" : "text-clay-deep"}>
                {inMillimetres(contact.data.bulge)} beyond the surface,{" "}
                {inMillimetres(contact.data.uncovered)} within it
              </span>
              .
            </span>
          )}
        </p>
        <p className="mt-1">
          <QuietButton
            onClick={() => setCovered(!covered)}
            disabled={!contact.data?.file}
            why="There is no contact shape to draw."
          >
            {covered ? "Take it off the prop" : "Draw it over the prop"}
          </QuietButton>
        </p>
        <h2 className={heading}>Mesh</h2>
        <p>
          {health.triangles.toLocaleString()} triangles in {health.shells}{" "}
          {health.shells === 1 ? "shell" : "shells"}, {(prop.size / 1e6).toFixed(2)} MB;{" "}
          {flaws.length ? flaws.join("; ") : "closed and well made"}.
        </p>
        {detail.joints.length > 0 && (
          <>
            <h2 className={heading}>Joints</h2>
            <ul>
              {detail.joints.map((joint) => {
                const turn = turns.find((t) => t.joint === joint) ?? {
                  joint,
                  axis: "x" as const,
                  degrees: 0,
                };
                const put = (some: Partial<Turn>) =>
                  setTurns([...turns.filter((t) => t.joint !== joint), { ...turn, ...some }]);
                return (
                  <li key={joint}>
                    {joint} turned{" "}
                    <NumberWord
                      label={`angle of ${joint}`}
                      value={turn.degrees}
                      step={5}
                      min={-180}
                      max={180}
                      {...inDegrees}
                      onChange={(degrees) => put({ degrees })}
                    />{" "}
                    about its{" "}
                    <ChoiceWord
                      label={`axis of ${joint}`}
                      value={turn.axis}
                      onChange={(axis) => put({ axis })}
                      choices={[
                        { value: "x", words: "x" },
                        { value: "y", words: "y" },
                        { value: "z", words: "z" },
                      ]}
                    />
                  </li>
                );
              })}
            </ul>
            <form
              className="mt-2 flex items-baseline gap-3"
              onSubmit={(e) => {
                e.preventDefault();
                pose.mutate();
              }}
            >
              <input
                aria-label="name of the pose"
                placeholder="name of the pose"
                value={poseName}
                onChange={(e) => setPoseName(e.target.value)}
                className="w-40 border-b border-ink bg-transparent outline-none placeholder:text-quiet"
              />
              <ActionButton
                onClick={() => pose.mutate()}
                disabled={!poseName.trim() || !turns.some((t) => t.degrees !== 0) || pose.isPending}
                why="Turn a joint and give the pose a name."
              >
                Keep this pose
              </ActionButton>
            </form>
          </>
        )}
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
