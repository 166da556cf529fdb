/** Words that the slips of recipes share: ranges, clauses that may be left out, and what is done with a recipe that the set keeps. */
import { tell } from "../ui/telling";
import { DropdownMenu } from "radix-ui";
import { type ReactNode, useMemo, useState } from "react";
import { toast } from "sonner";

import type { Schemas } from "../api/client";
import { make } from "../stage/making";
import { useParts } from "../state";
import type { Filling } from "../state/fill";
import type { Recipe } from "../state/scatter";
import { QuietButton } from "../ui/buttons";
import { numbersOf } from "./figures";
import { NumberWord, TextWord } from "./words";
import { clipboard } from "../ui/clipboard";

type Figure = Pick<React.ComponentProps<typeof NumberWord>, "show" | "read" | "step" | "min" | "max">;

/** From so much to so much. */
export function RangeWords(props: {
  label: string;
  between: string;
  value: [number, number];
  words: Figure;
  onChange: (value: [number, number]) => void;
}) {
  const [low, high] = props.value;
  return (
    <>
      {props.between}{" "}
      <NumberWord
        label={`least ${props.label}`}
        value={low}
        {...props.words}
        onChange={(v) => props.onChange([v, Math.max(v, high)])}
      />{" "}
      to{" "}
      <NumberWord
        label={`largest ${props.label}`}
        value={high}
        {...props.words}
        onChange={(v) => props.onChange([Math.min(v, low), v])}
      />
    </>
  );
}

/** A clause with a cross that leaves it out again. */
export function Said(props: { id: string; words: string; onDrop: () => void; children: ReactNode }) {
  return (
    <span data-clause={props.id}>
      , {props.children}
      <button
        type="button"
        aria-label={`leave out: ${props.words.replace("…", "")}`}
        title="leave this out"
        className="ml-0.5 px-0.5 text-quiet hover:text-clay-deep"
        onClick={props.onDrop}
      >
        ×
      </button>
    </span>
  );
}

/** The clauses that are not said, in a list to choose from. */
export function MoreWord<T extends { words: string }>(props: {
  offered: T[];
  onChoose: (chosen: T) => void;
}) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="word">More…</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className="z-20 max-h-(--radix-dropdown-menu-content-available-height) min-w-40 overflow-auto rounded-sm border border-edge bg-card py-1 shadow-md"
        >
          {props.offered.map((more) => (
            <DropdownMenu.Item
              key={more.words}
              className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-wash"
              onSelect={() => props.onChoose(more)}
            >
              {more.words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The recipes of one kind that the set keeps: one of them is in hand, or a new one is begun. */
export function KeptRecipes(props: {
  kind: Schemas["RecipeSchema"]["recipe"];
  open: string | null;
  onTake: (key: string | null) => void;
  children?: ReactNode;
}) {
  const { recipes } = useParts("recipes");
  const kept = [...recipes.values()].filter((record) => record.recipe === props.kind);
  return (
    <p className="mt-2 text-[14px]">
      {kept.length > 0 && "On this set: "}
      {kept.map((record, k) => (
        <span key={record.key}>
          {k > 0 && ", "}
          <button
            type="button"
            className={`max-w-full truncate align-bottom ${record.key === props.open ? "font-semibold text-clay-deep" : "word"}`}
            aria-pressed={record.key === props.open}
            onClick={() => props.onTake(record.key)}
          >
            {record.name}
          </button>
        </span>
      ))}
      {kept.length > 0 && ". "}
      {props.open !== null && (
        <QuietButton onClick={() => props.onTake(null)}>begin another</QuietButton>
      )}{" "}
      {props.children}
    </p>
  );
}

type Exceptions = Schemas["Exceptions"];

/** What is done with the recipe in hand, once the set keeps it. `stand`: how its pieces are said to be there. */
export function KeptRecipe(props: {
  record: Schemas["RecipeSchema"];
  /** The same as it is said now. */
  recipe: Recipe | Filling;
  name: string;
  stand: string;
  onExceptions: (exceptions: Exceptions) => void;
  onName: (name: string) => void;
  onRoll: () => void;
  onForgotten: () => void;
  /** What else may be done with it. */
  children?: ReactNode;
}) {
  const { pieces, select } = useParts("pieces", "select");
  const [clearing, setClearing] = useState(false);
  const { record, recipe } = props;
  const { exceptions } = recipe;
  const own = useMemo(
    () => [...pieces.values()].filter((p) => p.recipe === record.key).map((p) => p.key),
    [pieces, record.key],
  );
  const out = exceptions?.taken_out ?? [];
  const nudged = Object.keys(exceptions?.nudged ?? {}).length;
  const clear = async (keep: boolean) => {
    setClearing(false);
    if (await make({ kind: "clear", recipe: record.key, keep })) props.onForgotten();
  };
  return (
    <>
      <p className="mt-2 text-[14px]">
        <span className="figure">{own.length}</span> {props.stand}. Left out:{" "}
        <TextWord
          label="numbers left out"
          value={out.length ? out.join(", ") : "none"}
          read={(text) => (text.trim() === "none" ? "" : numbersOf(text) ? text : null)}
          wrong="Write numbers, like 3, 17."
          onChange={(text) =>
            props.onExceptions({ nudged: {}, ...exceptions, taken_out: numbersOf(text) ?? [] })
          }
        />
        {nudged > 0 && (
          <>
            ; <span className="figure">{nudged}</span> changed by hand
          </>
        )}
        . Called{" "}
        <TextWord
          label="name of the recipe"
          value={props.name || record.name}
          read={(text) => text.trim().slice(0, 80) || null}
          wrong="Write a name."
          onChange={props.onName}
        />
        .
      </p>
      <p className="mt-1 flex flex-wrap gap-x-3 gap-y-1">
        <QuietButton onClick={props.onRoll}>Roll again</QuietButton>
        <QuietButton onClick={() => select(own)}>Select all</QuietButton>
        {props.children}
        <QuietButton onClick={() => void copyAsText(recipe)}>Copy as text</QuietButton>
        {clearing ? (
          <>
            <QuietButton onClick={() => void clear(false)}>take all away</QuietButton>
            <QuietButton onClick={() => void clear(true)}>keep the pieces</QuietButton>
            <QuietButton onClick={() => setClearing(false)}>never mind</QuietButton>
          </>
        ) : (
          <QuietButton onClick={() => setClearing(true)}>Forget it…</QuietButton>
        )}
      </p>
    </>
  );
}

async function copyAsText(recipe: Recipe | Filling): Promise<void> {
  try {
    await clipboard().writeText(JSON.stringify(recipe, null, 1));
    toast("The recipe is copied as text.");
  } catch (problem) {
    tell(problem);
  }
}
