import { limits } from "../../api/limits";
import { useRef } from "react";

import type { Job } from "../../api/client";
import { discard } from "../../gravity/beginning";
import { inCount, inDegrees, inLargeLength, inLength, inPercent, inShares } from "../../slip/figures";
import { KeptRecipe, KeptRecipes, MoreWord, RangeWords, Said } from "../../slip/recipeWords";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { stopMove } from "../../stage/making";
import { useParts } from "../../state";
import type { Filling } from "../../state/fill";
import { ActionButton, QuietButton } from "../../ui/buttons";
import {
  FILL_CLAUSES,
  TRIALS,
  adoptFilling,
  fill,
  fillAnew,
  loosenTop,
  readList,
  tryFillings,
  whyNotFill,
  wipeOutBay,
  writeList,
} from "./filling";
import { type Axis, PAPER_BOX, reshape, resizedBox } from "../boxes";

const SIZES = { ...inPercent, step: 0.05, ...limits("FillRule", "size") };

export function FillSlip() {
  const { filling, setFilling, regions, note, openFilling, takeUpFilling, drawingBay, boxHeight, set } =
    useParts(
      "filling",
      "setFilling",
      "regions",
      "note",
      "openFilling",
      "takeUpFilling",
      "drawingBay",
      "boxHeight",
      "set",
    );
  const bay = regions.get(filling.bay);
  const others = [...regions.values()].filter((region) => region.key !== filling.bay);
  const kept = (
    <KeptRecipes kind="fill" open={openFilling} onTake={takeUpFilling}>
      <Lists />
    </KeptRecipes>
  );
  return (
    <div>
      <p>
        Fill{" "}
        {bay ? (
          <strong className="text-clay-deep">{bay.name}</strong>
        ) : (
          <span className="text-quiet">the compartment you press into next</span>
        )}{" "}
        with <Props />
        {filling.props.length > 0 && (
          <>
            , <Count filling={filling} />,{" "}
            <ChoiceWord
              label="square to"
              value={filling.square_to ?? "bay"}
              onChange={(square_to) => setFilling({ square_to })}
              choices={[
                { value: "bay", words: "square to it" },
                { value: "world", words: "square to the set" },
              ]}
            />
            ,{" "}
            <NumberWord
              label="rough"
              value={filling.rough ?? 0}
              {...inPercent}
              step={0.05}
              {...limits("FillRecipe", "rough")}
              onChange={(rough) => setFilling({ rough })}
            />{" "}
            rough, seed{" "}
            <NumberWord
              label="seed"
              value={filling.seed ?? 1}
              {...inCount}
              {...limits("FillRecipe", "seed")}
              onChange={(seed) => setFilling({ seed })}
            />
            <Clauses filling={filling} />.{" "}
            <MoreWord
              offered={FILL_CLAUSES.filter((clause) => !clause.here(filling))}
              onChoose={(clause) => clause.put()}
            />
          </>
        )}
      </p>
      {drawingBay ? (
        <p className="mt-1 border-l-4 border-clay pl-2 text-[14px]" role="status">
          Drag on the floor from corner to corner of the bay. It is{" "}
          <NumberWord
            label="height of the bay"
            value={boxHeight}
            {...inLargeLength}
            onChange={(height) => set({ boxHeight: height })}
          />{" "}
          high. <QuietButton onClick={() => set({ drawingBay: false })}>never mind</QuietButton>
        </p>
      ) : (
        <p className="mt-2 flex flex-wrap gap-x-3 gap-y-1 text-[14px]">
          {bay && <BayWords />}
          <QuietButton onClick={() => set({ drawingBay: true })}>draw a bay</QuietButton>
          {others.length > 0 && (
            <ChoiceWord
              label="another bay"
              value=""
              onChange={(key) => setFilling({ bay: key })}
              choices={[
                { value: "", words: "another bay…" },
                ...others.map((region) => ({ value: region.key, words: region.name })),
              ]}
            />
          )}
        </p>
      )}
      <Doing />
      {kept}
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet" data-testid="fill-note">
        {note}
      </p>
    </div>
  );
}

/** What it is filled with, and how many of each. */
function Props() {
  const { filling, setFillRules, props } = useParts("filling", "setFillRules", "props");
  if (!filling.props.length)
    return <span className="text-quiet">props that you choose from the trolley.</span>;
  const several = filling.props.length > 1;
  return filling.props.map((rule, k) => (
    <span key={rule.prop ?? k}>
      {k > 0 && (k === filling.props.length - 1 ? " and " : ", ")}
      <strong className="text-clay-deep">{props.get(rule.prop ?? "")?.name ?? "a prop"}</strong>
      {(several || rule.count != null) && (
        <span className="whitespace-nowrap">
          {" ("}
          {rule.count == null ? (
            <NumberWord
              label={`share of prop ${k + 1}`}
              value={rule.share ?? 1}
              {...inShares}
              max={1000}
              onChange={(share) => setFillRules({ share }, k)}
            />
          ) : (
            <NumberWord
              label={`count of prop ${k + 1}`}
              value={rule.count}
              {...inCount}
              {...limits("FillRule", "count")}
              onChange={(count) => setFillRules({ count }, k)}
            />
          )}{" "}
          <ChoiceWord
            label={`meaning of prop ${k + 1}`}
            value={rule.count == null ? "share" : "count"}
            onChange={(v) => setFillRules(v === "share" ? { count: null } : { count: 6 }, k)}
            choices={[
              { value: "share", words: (rule.share ?? 1) === 1 ? "part" : "parts" },
              { value: "count", words: "in all" },
            ]}
          />
          )
        </span>
      )}
    </span>
  ));
}

function Count({ filling }: { filling: Filling }) {
  const { setFilling } = useParts("setFilling");
  const full = filling.count == null;
  return (
    <>
      <ChoiceWord
        label="how many"
        value={full ? "full" : "count"}
        onChange={(v) => setFilling({ count: v === "full" ? null : 20 })}
        choices={[
          { value: "full", words: "as full as it goes" },
          { value: "count", words: "with no more than" },
        ]}
      />
      {!full && (
        <>
          {" "}
          <NumberWord
            label="no more than"
            value={filling.count ?? 20}
            {...inCount}
            {...limits("FillRecipe", "count")}
            onChange={(count) => setFilling({ count })}
          />
        </>
      )}
    </>
  );
}

function Clauses({ filling }: { filling: Filling }) {
  const { setFilling, setFillRules } = useParts("setFilling", "setFillRules");
  const rule = filling.props[0]!;
  const say: Record<(typeof FILL_CLAUSES)[number]["id"], () => React.ReactNode> = {
    sides: () => "on any of their sides",
    turn: () => (
      <>
        turned in steps of{" "}
        <NumberWord
          label="step of turns"
          value={rule.turn_step_deg ?? 90}
          {...inDegrees}
          step={5}
          min={0}
          max={360}
          onChange={(turn_step_deg) => setFillRules({ turn_step_deg }, null)}
        />
      </>
    ),
    size: () => (
      <RangeWords
        label="size"
        between="sized"
        value={rule.size ?? [1, 1]}
        words={SIZES}
        onChange={(size) => setFillRules({ size }, null)}
      />
    ),
    nest: () => "none in another's hollow",
    stacked: () => (
      <>
        stacked no more than{" "}
        <NumberWord
          label="most stacked"
          value={filling.most_stacked ?? 4}
          {...inCount}
          min={1}
          max={100}
          onChange={(most_stacked) => setFilling({ most_stacked })}
        />{" "}
        high
      </>
    ),
    front: () => (
      <>
        with{" "}
        <NumberWord
          label="room at the front"
          value={filling.front_room_m ?? 0}
          {...inLength}
          step={0.01}
          onChange={(front_room_m) => setFilling({ front_room_m })}
        />{" "}
        left at the front
      </>
    ),
    row: () => "the front row first",
    hand: () => "only where a hand can bring it",
  };
  return FILL_CLAUSES.filter((clause) => clause.here(filling)).map((clause) => (
    <Said key={clause.id} id={clause.id} words={clause.words} onDrop={clause.drop}>
      {say[clause.id]()}
    </Said>
  ));
}

/** The measures of a bay that is a box, each a word; and a way to wipe it out. */
function BayWords() {
  const { filling, regions } = useParts("filling", "regions");
  const bay = regions.get(filling.bay)!;
  return (
    <>
      {bay.prop === PAPER_BOX && (
        <span>
          It is{" "}
          {(["across", "up", "along"] as const).map((name, axis) => (
            <span key={name}>
              {axis > 0 && ", "}
              <NumberWord
                label={`bay ${name}`}
                value={bay.pose.scale[axis]!}
                {...inLargeLength}
                step={0.01}
                late
                onChange={(length) => {
                  const more = length - bay.pose.scale[axis]!;
                  // It stays on its floor, and grows to both sides.
                  const low = axis === 1 ? 0 : 0.5 * more;
                  void reshape(bay.key, resizedBox(bay.pose, axis as Axis, low, more - low));
                }}
              />{" "}
              {name}
            </span>
          ))}
          .
        </span>
      )}
      <QuietButton onClick={() => void wipeOutBay(bay.key)}>wipe it out</QuietButton>
    </>
  );
}

/** The list of props as a table: out of a spreadsheet, and into one. */
function Lists() {
  const { filling } = useParts("filling");
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <QuietButton onClick={() => input.current?.click()}>read a table of props</QuietButton>
      {filling.props.length > 0 && (
        <>
          {" "}
          <QuietButton onClick={() => void writeList()}>write one</QuietButton>
        </>
      )}
      <input
        ref={input}
        type="file"
        accept=".csv,text/csv"
        className="hidden"
        aria-label="table of props"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void readList(file);
        }}
      />
    </>
  );
}

/** What is done with the recipe: filled, filled again, chosen, forgotten. */
function Doing() {
  const {
    filling,
    setFilling,
    openFilling,
    recipes,
    saving,
    fillingName,
    set,
    takeUpFilling,
    underWay,
    job,
  } = useParts(
    "filling",
    "setFilling",
    "openFilling",
    "recipes",
    "saving",
    "fillingName",
    "set",
    "takeUpFilling",
    "underWay",
    "job",
  );
  const coming = underWay.find((move) => move.pieces.length > 0);
  if (job) return <Ways job={job} />;
  if (coming)
    return (
      <div>
        <p role="status" className="mt-2">
          <strong className="figure">{coming.pieces.length}</strong> stand
          {coming.total > 0 && <span className="figure"> of {coming.total}</span>}.{" "}
          <span className="text-quiet">
            The set stays as it is until it is full, or until you have enough.
          </span>
        </p>
        <p className="mt-2 flex items-baseline gap-4">
          <ActionButton onClick={() => void stopMove(coming.ask, true)}>Enough, keep these</ActionButton>
          <QuietButton onClick={() => void stopMove(coming.ask)}>Discard</QuietButton>
        </p>
      </div>
    );
  const record = openFilling === null ? undefined : recipes.get(openFilling);
  const why = saving ? "It is being filled." : (whyNotFill(filling) ?? undefined);
  return (
    <>
      <p className="mt-2">
        <ActionButton onClick={() => void fill(true)} disabled={why !== undefined} why={why}>
          {record ? "Fill it again" : "Fill it"}
        </ActionButton>{" "}
        {why === undefined && <QuietButton onClick={() => void tryFillings()}>try {TRIALS} ways</QuietButton>}
      </p>
      {record && (
        <KeptRecipe
          record={record}
          recipe={filling}
          name={fillingName}
          stand="stand"
          onExceptions={(exceptions) => setFilling({ exceptions })}
          onName={(name) => set({ fillingName: name })}
          onRoll={fillAnew}
          onForgotten={() => takeUpFilling(null)}
        >
          <QuietButton onClick={() => void loosenTop()}>Loosen the top</QuietButton>
        </KeptRecipe>
      )}
    </>
  );
}

/** Several ways that are tried, and then one of them that is looked at. */
function Ways({ job }: { job: Job }) {
  const { trial } = useParts("trial");
  const outcome = trial === null ? undefined : job.outcomes[trial];
  if (job.state === "running")
    return (
      <div>
        <p role="status" className="mt-2">
          <span className="figure">
            {job.kind === "fill"
              ? `${job.count} of ${job.total} ways are filled.`
              : "Something else is under way."}
          </span>{" "}
          <span className="text-quiet">The set stays as it is until you adopt one of them.</span>
        </p>
        <p className="mt-2">
          <QuietButton onClick={() => void discard()}>Stop</QuietButton>
        </p>
      </div>
    );
  if (!outcome) return null;
  return (
    <div>
      <p className="mt-2">
        Seed <strong className="figure">{outcome.seed}</strong>: {outcome.words || "not a filling"}.
      </p>
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1.5">
        {outcome.recipe && (
          <ActionButton onClick={() => void adoptFilling(outcome)}>Adopt this one</ActionButton>
        )}
        <QuietButton onClick={() => void discard()}>Discard all</QuietButton>
      </p>
    </div>
  );
}
