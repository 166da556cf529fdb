/** The main view: verbs, slip and trolley on the left; the stage, and under it the level line. */
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { toast } from "sonner";

import { type SetData, client, wanted } from "../api/client";
import { LiveLine } from "../api/live";
import { FeelerCard } from "../feeler/FeelerCard";
import { Glyph, STATE_ORDER } from "../fit/Glyph";
import { inWords } from "../fit/units";
import { KeySheet } from "../keysheet/KeySheet";
import { LevelLine } from "../levelline/LevelLine";
import { Slip } from "../slip/Slip";
import { Trolley } from "../trolley/Trolley";
import { LookDial } from "./LookDial";
import { lookThrough, onStageKey } from "./keys";
import { lookThroughGap, redo, reload, undo } from "./making";
import { StagePointer } from "./pointer";
import { VERBS, useStage } from "./store";
import { StageView, chosenQuality } from "./view";

interface ScreenLabel {
  text: string;
  x: number;
  y: number;
}

declare global {
  interface Window {
    /** For the browser tests and the benchmark: what is drawn, where a piece is, how fast answers come. */
    brickseat?: {
      view: StageView;
      line: LiveLine;
      state: typeof useStage.getState;
      /** Where a world point is on the stage, in CSS pixels of the page. */
      screen: (x: number, y: number, z: number) => { x: number; y: number };
    };
  }
}

function Header() {
  const { name, line, saving, canUndo, canRedo, fits, key } = useStage();
  const counts = STATE_ORDER.map((state) => ({
    state,
    n: [...fits.values()].filter((f) => f.state === state).length,
  })).filter(({ n, state }) => n > 0 || state === "seated");
  const status = line === "lost" ? "the server is away; trying again" : saving > 0 ? "saving…" : "saved";
  return (
    <header className="flex h-12 items-center gap-5 border-b border-rule bg-card px-4">
      <Link to="/" aria-label="All sets" className="flex items-center gap-2">
        <img src="/mark.svg" alt="" width={24} height={24} />
      </Link>
      <h1 className="truncate text-[17px] font-semibold">{name}</h1>
      <span className={`text-[14px] ${line === "lost" ? "text-clay-deep" : "text-quiet"}`} role="status">
        {status}
      </span>
      <span className="flex gap-3 text-[14px]">
        <button
          type="button"
          onClick={() => void undo()}
          disabled={!canUndo}
          title={canUndo ? `take back: ${canUndo}` : "nothing was done yet"}
          className="hover:text-clay-deep disabled:text-quiet/60"
        >
          undo
        </button>
        <button
          type="button"
          onClick={() => void redo()}
          disabled={!canRedo}
          title={canRedo ? `do again: ${canRedo}` : "nothing was undone"}
          className="hover:text-clay-deep disabled:text-quiet/60"
        >
          redo
        </button>
      </span>
      <ul aria-label="Fit check" className="ml-auto flex items-center gap-4">
        {[...counts].reverse().map(({ state, n }) => (
          <li key={state} className="flex items-center gap-1 text-[14px]">
            <Glyph state={state} />
            <span className={`figure ${state === "seated" ? "text-quiet" : "font-semibold text-clay-deep"}`}>
              {n} {state}
            </span>
          </li>
        ))}
      </ul>
      <a
        href={key ? `/api/sets/${key}/hand-over.glb` : undefined}
        download
        className="rounded-sm border border-ink px-3 py-0.5 text-[14px] font-semibold hover:border-clay hover:text-clay-deep"
      >
        hand over
      </a>
    </header>
  );
}

function Verbs() {
  const { verb, setVerb } = useStage();
  return (
    <ol aria-label="Verbs" className="border-b border-rule px-2 py-2">
      {VERBS.map((v, i) => (
        <li key={v}>
          <button
            type="button"
            aria-pressed={verb === v}
            onClick={() => setVerb(v)}
            className={`flex w-full items-baseline gap-2 rounded-sm px-2 py-0.5 text-left text-[16px] ${
              verb === v ? "bg-wash font-semibold" : "hover:bg-card"
            }`}
          >
            <span className="figure w-3 text-[13px] text-quiet">{i + 1}</span>
            {v}
          </button>
        </li>
      ))}
    </ol>
  );
}

export default function StagePage() {
  const { key = "" } = useParams();
  const { data, error, isPending } = useQuery({
    queryKey: ["set", key],
    queryFn: () => wanted<SetData>(client.GET("/api/sets/{key}", { params: { path: { key } } })),
    gcTime: 0,
    staleTime: Infinity,
    refetchOnWindowFocus: false,
    retry: 1,
  });
  if (error)
    return (
      <main className="grid h-full place-items-center">
        <div className="max-w-md text-center">
          <p className="text-lg">{error.message}</p>
          <Link to="/" className="word mt-3 inline-block">
            back to all sets
          </Link>
        </div>
      </main>
    );
  if (isPending)
    return (
      <main className="grid h-full place-items-center text-quiet" role="status">
        bringing the set up…
      </main>
    );
  return <OpenStage key={key} data={data} />;
}

function OpenStage({ data }: { data: SetData }) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<StageView | null>(null);
  const pointer = useRef<StagePointer | null>(null);
  const [labels, setLabels] = useState<ScreenLabel[]>([]);
  const [sheet, setSheet] = useState(false);
  const [dim, setDim] = useState(() => localStorage.getItem("dim stage") === "yes");
  const { pieces, revision, selected, fits, seeThrough, isolated, slip, verb } = useStage();

  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const { open, close, set } = useStage.getState();
    open(data);
    const stage = new StageView(
      element,
      (prop) => useStage.getState().props.get(prop)?.file,
      { place: (now) => setLabels((old) => (old.length === 0 && now.length === 0 ? old : now)) },
      chosenQuality(),
    );
    const line = new LiveLine(data.key, {
      changed: (change) => {
        if (useStage.getState().apply(change) === "behind") void reload(data.key);
      },
      ready: (now) => {
        if (now !== useStage.getState().revision) void reload(data.key);
      },
      state: (state) => set({ line: state }),
      refused: (words) => set({ note: words }),
    });
    const tool = new StagePointer(stage, line);
    view.current = stage;
    pointer.current = tool;
    window.brickseat = {
      view: stage,
      line,
      state: useStage.getState,
      screen: (x, y, z) => {
        const box = stage.canvas.getBoundingClientRect();
        const on = stage.onScreen([x, y, z]);
        return { x: box.left + on.x, y: box.top + on.y };
      },
    };
    if (data.look) stage.standAt(data.look.eye, data.look.target);
    const keyTool = {
      sheet: () => setSheet(true),
      cancel: () => tool.cancel(),
      setDown: () => void tool.setDownInTheMiddle(),
    };
    const onKey = (event: KeyboardEvent) => onStageKey(event, stage, keyTool);
    window.addEventListener("keydown", onKey);
    return () => {
      window.removeEventListener("keydown", onKey);
      tool.dispose();
      line.close();
      stage.dispose();
      delete window.brickseat;
      view.current = pointer.current = null;
      close();
    };
  }, [data]);

  useEffect(() => {
    const stage = view.current;
    if (!stage) return;
    stage.show(pieces, revision).then(
      () => {
        if (!data.look && revision === data.revision && stage.drawnRevision < 0) stage.look("corner");
        stage.setMarks(useStage.getState().selected, useStage.getState().fits, inWords);
        pointer.current?.again();
      },
      (problem: Error) => toast.error(problem.message),
    );
  }, [pieces, revision, data]);

  useEffect(() => view.current?.setMarks(selected, fits, inWords), [selected, fits]);
  useEffect(() => view.current?.pieces.setSeeThrough(seeThrough), [seeThrough]);
  useEffect(() => pointer.current?.again(), [slip, verb]);
  useEffect(() => {
    view.current?.setDim(dim);
    localStorage.setItem("dim stage", dim ? "yes" : "no");
  }, [dim]);
  useEffect(() => {
    const kept = new Set(selected);
    for (const k of selected) fits.get(k)?.rests_on.forEach((r) => kept.add(r));
    const hidden = isolated ? [...pieces.values()].filter((p) => !kept.has(p.key)).map((p) => p.key) : [];
    view.current?.pieces.hide(hidden);
  }, [isolated, selected, fits, pieces]);

  const through = useCallback((piece: string) => {
    void lookThroughGap(piece).then(
      (found) => found && view.current?.lookThrough(found.at, found.azimuth, found.half),
    );
  }, []);

  return (
    <div className="grid h-full grid-cols-[288px_1fr] grid-rows-[48px_1fr]">
      <div className="col-span-2">
        <Header />
      </div>
      <aside className="flex min-h-0 flex-col border-r border-rule">
        <Verbs />
        <Slip />
        <Trolley />
      </aside>
      <main className="grid min-h-0 min-w-0 grid-rows-[1fr_auto]">
        <div className="relative min-h-0 overflow-hidden">
          <div ref={host} className="absolute inset-0" data-testid="stage" />
          {labels.map((label, i) => (
            <span
              key={i}
              className="figure pointer-events-none absolute rounded-sm border border-rule bg-card/95 px-1.5 text-[13px] font-semibold whitespace-nowrap text-clay-deep"
              style={{ left: label.x + 12, top: label.y - 11 }}
            >
              {label.text}
            </span>
          ))}
          <LookDial
            onLook={(look) => view.current?.look(look, selected.length ? selected : undefined)}
            onThrough={() => view.current && void lookThrough(view.current)}
            dim={dim}
            onDim={() => setDim(!dim)}
          />
          <FeelerCard />
          <p className="pointer-events-none absolute bottom-2 left-3 rounded-sm bg-card/80 px-1.5 text-[13px] text-quiet">
            right button: walk round · wheel: nearer · <span className="figure">?</span>: keys
          </p>
        </div>
        <LevelLine onLook={through} />
      </main>
      <KeySheet open={sheet} onOpenChange={setSheet} />
    </div>
  );
}
