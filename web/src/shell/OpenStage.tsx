/** The stage with what stands about it: verbs, slip and trolley on the left; under it level line, trials and ledger. */
import { MayBreak } from "./MayBreak";
import { tell, wordsOf } from "../ui/telling";
import { useCallback, useEffect, useRef, useState } from "react";
import { toast } from "sonner";

import type { Outcome, SetData } from "../api/client";
import { useShown } from "../commands/chosen";
import { Finder } from "../commands/Finder";
import { KeySheet } from "../commands/KeySheet";
import { lookThrough } from "../commands/table";
import { FeelerCard } from "../feeler/FeelerCard";
import { inWords } from "../fit/units";
import { Trials } from "../gravity/Trials";
import { HistoryPanel } from "../history/HistoryPanel";
import { Ledger } from "../ledger/Ledger";
import { LevelLine } from "../levelline/LevelLine";
import { LostLine } from "./LostLine";
import { useParts } from "../state";
import { TOOLS, toolOf } from "../tools";
import { PIN } from "../stage/camera";
import { type OpenedStage, openStage } from "./connect";
import { Header } from "./Header";
import { LookDial } from "../stage/LookDial";
import { lookThroughGap } from "../stage/making";
import { mark } from "./marking";
import { useSetPicture } from "../stage/picturing";
import { SidePanel } from "./SidePanel";
import { useProof } from "../stage/useProof";

/** Verbs that stand in no group. */
const IN_THE_DIAL = TOOLS.filter((tool) => tool.group === null).map((tool) => tool.verb);

export function OpenStage({ data }: { data: SetData }) {
  const host = useRef<HTMLDivElement>(null);
  const over = useRef<HTMLDivElement>(null);
  const opened = useRef<OpenedStage | null>(null);
  const [dim, setDim] = useState(() => localStorage.getItem("dim stage") === "yes");
  const [walking, setWalking] = useState(false);
  const [pinned, setPinned] = useState(false);
  // On a narrow page the side panel lies over the stage, and is folded away until it is wanted.
  const [folded, setFolded] = useState(true);
  const {
    pieces,
    regions,
    revision,
    selected,
    fits,
    seeThrough,
    isolated,
    verb,
    ledger,
    history,
    preview,
    held,
    job,
    name,
    undrawn,
    bearersInHand,
    outOfSight,
  } = useParts(
    "pieces",
    "regions",
    "revision",
    "selected",
    "fits",
    "seeThrough",
    "isolated",
    "verb",
    "ledger",
    "history",
    "preview",
    "held",
    "job",
    "name",
    "undrawn",
    "bearersInHand",
    "outOfSight",
  );
  const [letsGo, forKeys, forBearers] = [
    useShown("hold the selection"),
    useShown("keys"),
    useShown("bearers"),
  ];
  const intoSight = useShown("all in sight");
  const standing = preview?.pieces ?? pieces;

  const view = useCallback(() => opened.current?.view ?? null, []);
  useSetPicture(data.key, view);
  useEffect(() => {
    if (!host.current || !over.current) return;
    const stage = openStage(data, host.current, over.current);
    opened.current = stage;
    return () => {
      opened.current = null;
      stage.dispose();
    };
  }, [data]);

  useEffect(() => {
    const before = document.title;
    if (name) document.title = `${name}, ${before}`;
    return () => {
      document.title = before;
    };
  }, [name]);

  useEffect(() => {
    const stage = opened.current;
    if (!stage) return;
    void stage.view
      .show(standing, revision)
      .catch((problem: unknown) => toast.error(`${wordsOf(problem)}; it is asked for again.`))
      .then(() => {
        if (opened.current !== stage) return;
        if (!data.look && revision === data.revision && stage.view.drawnRevision < 0)
          stage.view.look("corner");
        mark(stage.view, inWords);
        stage.pointer.again();
      });
  }, [standing, revision, data]);

  useEffect(() => {
    opened.current?.view.regions.show(regions).catch(tell);
  }, [regions]);
  useEffect(() => void opened.current?.looked.show({ seeThrough }), [seeThrough]);
  useEffect(() => void opened.current?.looked.show({ absent: outOfSight }), [outOfSight]);
  useEffect(() => {
    opened.current?.view.setDim(dim);
    localStorage.setItem("dim stage", dim ? "yes" : "no");
  }, [dim]);
  useEffect(() => {
    const kept = new Set(selected);
    for (const k of selected) fits.get(k)?.rests_on.forEach((r) => kept.add(r));
    const hidden = isolated ? [...pieces.values()].filter((p) => !kept.has(p.key)).map((p) => p.key) : [];
    void opened.current?.looked.show({ veiled: new Set(hidden) });
  }, [isolated, selected, fits, pieces]);

  const { proof, makeProof } = useProof(view);
  const middle = useCallback(() => view()?.aim.middle() ?? ([0, 0, 0] as [number, number, number]), [view]);
  const through = useCallback(
    (piece: string) => {
      void lookThroughGap(piece).then(
        (found) => found && view()?.lookThrough(found.at, found.azimuth, found.half),
      );
    },
    [view],
  );
  const picture = useCallback(
    (outcome: Outcome) => opened.current?.fall.picture(outcome) ?? Promise.resolve(""),
    [],
  );
  const enter = useCallback(() => opened.current?.pointer.enter(), []);
  const { Slip } = toolOf(verb);

  return (
    <div className="relative grid h-full grid-cols-[288px_1fr] grid-rows-[48px_1fr] max-[900px]:grid-cols-[minmax(0,1fr)]">
      <div className="col-span-full min-w-0">
        <Header onProof={makeProof} proof={proof} />
      </div>
      <SidePanel
        folded={folded}
        onFold={() => setFolded(true)}
        slip={
          <MayBreak what="The slip" again={[verb]}>
            <Slip middle={middle} enter={enter} />
          </MayBreak>
        }
      />
      <main className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] grid-rows-[minmax(0,1fr)_auto_auto]">
        <div className="relative min-h-0 overflow-hidden [container-type:size]">
          <div ref={host} className="absolute inset-0" data-testid="stage" />
          <div ref={over} className="pointer-events-none absolute inset-0 overflow-hidden" />
          {pinned && (
            <div
              className="pointer-events-none absolute border-2 border-ink"
              style={{ left: PIN.left, bottom: PIN.bottom, width: PIN.width, height: PIN.height }}
            >
              <button
                type="button"
                className="pointer-events-auto absolute top-0 right-0 bg-card/90 px-1.5 text-[13px] hover:text-clay-deep"
                onClick={() => {
                  view()?.pin(false);
                  setPinned(false);
                }}
              >
                unpin
              </button>
            </div>
          )}
          {folded && (
            <button
              type="button"
              aria-expanded={false}
              onClick={() => setFolded(false)}
              className="absolute top-3 left-3 z-10 rounded-sm border border-edge bg-card px-2 py-0.5 hover:border-ink hover:text-clay-deep min-[901px]:hidden"
            >
              {verb}, trolley…
            </button>
          )}
          {undrawn && (
            <p
              role="alert"
              className="absolute top-1/2 left-1/2 z-10 max-w-sm -translate-x-1/2 -translate-y-1/2 rounded-sm border border-clay bg-card px-4 py-3"
            >
              The graphics card has let go of the stage. The set is kept, and is drawn again as soon as the
              card is back.{" "}
              <button type="button" className="word" onClick={() => location.reload()}>
                Load the page again
              </button>
            </p>
          )}
          {history && (
            <MayBreak what="The history">
              <HistoryPanel />
            </MayBreak>
          )}
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
          {(held || bearersInHand || outOfSight.size > 0) && (
            <p
              role="status"
              className="pointer-events-none absolute top-3 left-3 rounded-sm bg-card/90 px-2 text-[14px]"
            >
              {held && (
                <>
                  {selected.length} held; <span className="figure">{letsGo}</span> lets go.{" "}
                </>
              )}
              {bearersInHand && (
                <>
                  Bearers are in hand; <span className="figure">{forBearers}</span> lets go.{" "}
                </>
              )}
              {outOfSight.size > 0 && (
                <>
                  {outOfSight.size} out of sight; <span className="figure">{intoSight}</span> brings{" "}
                  {outOfSight.size === 1 ? "it" : "them"} back.
                </>
              )}
            </p>
          )}
          <LookDial
            verbs={IN_THE_DIAL}
            walking={walking}
            onWalk={() => {
              const reduced = matchMedia("(prefers-reduced-motion: reduce)").matches;
              view()?.walk(!walking);
              setWalking(!walking && !reduced);
            }}
            pinned={pinned}
            onPin={() => {
              view()?.pin(!pinned);
              setPinned(!pinned);
            }}
            onLook={(look) => view()?.look(look, selected.length ? selected : undefined)}
            onThrough={() => {
              const now = view();
              if (now) void lookThrough(now);
            }}
            dim={dim}
            onDim={() => setDim(!dim)}
          />
          {!job && (
            <MayBreak what="The feeler" again={[selected]}>
              <FeelerCard />
            </MayBreak>
          )}
          <p className="pointer-events-none absolute bottom-2 left-3 rounded-sm bg-card/80 px-1.5 text-[13px] text-quiet [@container(max-height:430px)]:hidden">
            right button: walk round · wheel: nearer · <span className="figure">{forKeys}</span>: keys
          </p>
        </div>
        {job?.state === "done" && job.outcomes.length > 1 && (
          <Trials outcomes={job.outcomes} picture={picture} />
        )}
        <div>
          <LostLine />
          <LevelLine onLook={through} />
        </div>
        {ledger && (
          <MayBreak what="The ledger">
            <Ledger onLook={through} />
          </MayBreak>
        )}
      </main>
      <KeySheet />
      <Finder desk={() => opened.current} />
    </div>
  );
}
