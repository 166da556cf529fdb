/** The main view: verbs, slip and trolley on the left; the stage, and under it the level line. */
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { toast } from "sonner";

import { type SetData, askAs, client, wanted } from "../api/client";
import { LiveLine } from "../api/live";
import { FeelerCard } from "../feeler/FeelerCard";
import { inWords } from "../fit/units";
import { HistoryPanel } from "../history/HistoryPanel";
import { KeySheet } from "../keysheet/KeySheet";
import { Ledger } from "../ledger/Ledger";
import { Trials } from "../trials/Trials";
import { LevelLine } from "../levelline/LevelLine";
import { Slip } from "../slip/Slip";
import { Trolley } from "../trolley/Trolley";
import { Header } from "./Header";
import { Fall } from "./fall";
import { LookDial } from "./LookDial";
import { lookThrough, onStageKey } from "./keys";
import { learnAgain, learnNew, lookThroughGap, reload, tryingOn } from "./making";
import { type Shown, StagePointer } from "./pointer";
import { saveProof } from "./proof";
import { VERBS, useParts, useStage } from "./store";
import { PIN, StageView, chosenQuality } from "./view";

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

function Verbs() {
  const { verb, setVerb } = useParts("verb", "setVerb");
  return (
    <ol aria-label="Verbs" className="grid grid-cols-2 border-b border-rule px-2 py-2">
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
  const falling = useRef<Fall | null>(null);
  const [labels, setLabels] = useState<ScreenLabel[]>([]);
  const [sheet, setSheet] = useState(false);
  const [dim, setDim] = useState(() => localStorage.getItem("dim stage") === "yes");
  const [shown, setShown] = useState<Shown>({ figures: null, sweep: null });
  const [walking, setWalking] = useState(false);
  const [pinned, setPinned] = useState(false);
  const [proof, setProof] = useState<number | null>(null);
  const stopProof = useRef(false);
  const {
    pieces,
    regions,
    revision,
    selected,
    fits,
    seeThrough,
    isolated,
    slip,
    verb,
    ledger,
    history,
    preview,
    held,
    job,
    trial,
  } = useParts(
    "pieces",
    "regions",
    "revision",
    "selected",
    "fits",
    "seeThrough",
    "isolated",
    "slip",
    "verb",
    "ledger",
    "history",
    "preview",
    "held",
    "job",
    "trial",
  );
  const standing = preview?.pieces ?? pieces;

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
    const fall = new Fall(stage);
    falling.current = fall;
    const line = new LiveLine(data.key, {
      changed: (change) => {
        void learnNew(change).then(() => {
          if (useStage.getState().apply(change) === "behind") void reload(data.key);
        });
      },
      ready: (now, stageName) => {
        askAs(stageName);
        set({ stage: stageName });
        if (now !== useStage.getState().revision) void reload(data.key);
        void fall.askAgain();
      },
      state: (state) => set({ line: state }),
      refused: (words) => set({ note: words }),
      job: (news) => fall.news(news),
      frame: (poses) => fall.frame(poses),
      cast: (news) => fall.cast(news),
      prop: (prop) => void learnAgain(prop).then(() => stage.remodel(prop)),
      presence: (here) => set({ here }),
      notHeld: (by) => {
        pointer.current?.cancel();
        toast(`${by} is moving that just now; wait until it is let go.`);
      },
    });
    const tool = new StagePointer(stage, line, setShown);
    set({ tryOut: tryingOn(stage, line), enough: () => line.enough() });
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
      standee: () => tool.standee(),
      pour: () => void tool.pourInTheMiddle(),
    };
    const onKey = (event: KeyboardEvent) => onStageKey(event, stage, keyTool);
    window.addEventListener("keydown", onKey);
    return () => {
      window.removeEventListener("keydown", onKey);
      tool.dispose();
      line.close();
      stage.dispose();
      delete window.brickseat;
      view.current = pointer.current = falling.current = null;
      close();
    };
  }, [data]);

  useEffect(() => {
    const stage = view.current;
    if (!stage) return;
    stage.show(standing, revision).then(
      () => {
        if (!data.look && revision === data.revision && stage.drawnRevision < 0) stage.look("corner");
        mark(stage);
        pointer.current?.again();
      },
      (problem: Error) => toast.error(problem.message),
    );
  }, [standing, revision, data]);

  useEffect(() => {
    void view.current?.regions
      .show(regions)
      .catch((problem: unknown) => toast.error(problem instanceof Error ? problem.message : String(problem)));
  }, [regions]);

  useEffect(() => {
    if (view.current) mark(view.current);
  }, [selected, fits, verb, preview, job]);
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

  const makeProof = async () => {
    const stage = view.current;
    if (!stage) return;
    if (proof !== null) {
      stopProof.current = true;
      return;
    }
    stopProof.current = false;
    setProof(0);
    const { name, fits: now } = useStage.getState();
    const bad = [...now.values()].filter((f) => f.faults.length).length;
    try {
      const words = bad ? `${bad} of ${now.size} do not sit` : `${now.size} pieces, all seated`;
      const file = await saveProof(stage, name, words, (share) => {
        setProof(share);
        return !stopProof.current;
      });
      toast(file ? `Saved as “${file}”.` : "Stopped; no picture was saved.");
    } catch (problem) {
      toast.error((problem as Error).message);
    } finally {
      setProof(null);
    }
  };
  const middle = useCallback(() => view.current?.middle() ?? ([0, 0, 0] as [number, number, number]), []);
  useEffect(() => falling.current?.look(trial), [trial, job]);
  const through = useCallback((piece: string) => {
    void lookThroughGap(piece).then(
      (found) => found && view.current?.lookThrough(found.at, found.azimuth, found.half),
    );
  }, []);

  return (
    <div className="grid h-full grid-cols-[288px_1fr] grid-rows-[48px_1fr]">
      <div className="col-span-2">
        <Header onProof={() => void makeProof()} proof={proof} />
      </div>
      <aside className="flex min-h-0 flex-col border-r border-rule">
        <Verbs />
        <Slip middle={middle} />
        <Trolley />
      </aside>
      <main className="grid min-h-0 min-w-0 grid-rows-[minmax(0,1fr)_auto_auto]">
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
          {shown.sweep && (
            <div
              className="pointer-events-none absolute border border-clay bg-clay/10"
              style={{
                left: shown.sweep.x,
                top: shown.sweep.y,
                width: shown.sweep.width,
                height: shown.sweep.height,
              }}
            />
          )}
          {shown.figures && (
            <span
              data-testid="puck-figures"
              className="figure pointer-events-none absolute rounded-sm border border-ink bg-card/95 px-1.5 text-[13px] font-semibold whitespace-nowrap"
              style={{ left: shown.figures.x + 16, top: shown.figures.y + 14 }}
            >
              {shown.figures.words}
            </span>
          )}
          {pinned && (
            <div
              className="pointer-events-none absolute border-2 border-ink"
              style={{ left: PIN.left, bottom: PIN.bottom, width: PIN.width, height: PIN.height }}
            >
              <button
                type="button"
                className="pointer-events-auto absolute top-0 right-0 bg-card/90 px-1.5 text-[13px] hover:text-clay-deep"
                onClick={() => {
                  view.current?.pin(false);
                  setPinned(false);
                }}
              >
                unpin
              </button>
            </div>
          )}
          {history && <HistoryPanel />}
          {preview && (
            <p
              role="status"
              className="absolute top-3 left-1/2 z-10 -translate-x-1/2 rounded-sm border border-clay bg-card px-3 py-1"
            >
              {preview.number === 0 ? (
                "Looking at the set as it was to begin with"
              ) : (
                <>
                  Looking at the set after step {preview.number}, <strong>{preview.words}</strong>
                </>
              )}
            </p>
          )}
          {held && (
            <p className="pointer-events-none absolute top-3 left-3 rounded-sm bg-card/90 px-2 text-[14px]">
              {selected.length} held; <span className="figure">H</span> lets go
            </p>
          )}
          <LookDial
            walking={walking}
            onWalk={() => {
              const reduced = matchMedia("(prefers-reduced-motion: reduce)").matches;
              view.current?.walk(!walking);
              setWalking(!walking && !reduced);
            }}
            pinned={pinned}
            onPin={() => {
              view.current?.pin(!pinned);
              setPinned(!pinned);
            }}
            onLook={(look) => view.current?.look(look, selected.length ? selected : undefined)}
            onThrough={() => view.current && void lookThrough(view.current)}
            dim={dim}
            onDim={() => setDim(!dim)}
          />
          {!job && <FeelerCard />}
          <p className="pointer-events-none absolute bottom-2 left-3 rounded-sm bg-card/80 px-1.5 text-[13px] text-quiet">
            right button: walk round · wheel: nearer · <span className="figure">?</span>: keys
          </p>
        </div>
        {job?.state === "done" && job.outcomes.length > 1 && (
          <Trials outcomes={job.outcomes} picture={(n) => falling.current?.picture(n) ?? ""} />
        )}
        <LevelLine onLook={through} />
        {ledger && <Ledger onLook={through} />}
      </main>
      <KeySheet open={sheet} onOpenChange={setSheet} />
    </div>
  );
}

/** Tapes, plumb line and puck of what is selected; none while an old step is looked at. */
function mark(stage: StageView): void {
  const { selected, fits, pieces, verb, preview, job } = useStage.getState();
  const keys = preview || job?.state === "running" ? [] : selected;
  // What lies in an outcome has not been measured on the set yet.
  stage.setMarks(keys, job ? new Map() : fits, inWords);
  const movable = keys.filter((k) => pieces.get(k)?.role === "prop" && !pieces.get(k)?.spiked);
  const first = movable[0] ? pieces.get(movable[0]) : undefined;
  if (
    !first ||
    job ||
    verb === "measure" ||
    verb === "build" ||
    verb === "settle" ||
    verb === "pour" ||
    (verb === "set down" && useStage.getState().slip.prop)
  ) {
    stage.layPuck([], null, [0, 1, 0]);
    return;
  }
  const lowest = movable
    .map((k) => fits.get(k))
    .filter((f) => f?.touch)
    .sort((a, b) => a!.touch![1] - b!.touch![1])[0];
  const foot = lowest?.touch
    ? (lowest.touch.map((v, i) => v + first.direction[i]! * (lowest.gap ?? 0)) as [number, number, number])
    : null;
  const up = first.direction.map((v) => -v) as [number, number, number];
  stage.layPuck(movable, movable.length === keys.length ? foot : null, up);
}
