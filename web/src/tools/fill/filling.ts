/** What the fill slip does with its recipe: bay, props, filling, and the list of props as a table. */
import { tell } from "../../ui/telling";

import {
  type Job,
  type Outcome,
  type Pose,
  type Schemas,
  type Triple,
  client,
  wanted,
} from "../../api/client";
import { beginSettle, begun, discard } from "../../gravity/beginning";
import { make, oneAtATime } from "../../stage/making";
import { useStage } from "../../state";
import { type FillRule, type Filling, NO_BAY } from "../../state/fill";
import type { DrawnBox } from "../boxDrag";
import { type Box, PAPER_BOX, boxesOf } from "../boxes";

/** Ways that are tried at once. */
export const TRIALS = 6;
/** Metres by which what lies on top is shaken to look used. */
const LOOSENED_BY = 0.008;
/** The prop of the boxes that are drawn on the stage. */

/** A clause of the sentence that may be left out. */
export interface FillClause {
  id: "sides" | "turn" | "size" | "nest" | "stacked" | "front" | "row" | "hand";
  /** How the list of more clauses names it. */
  words: string;
  here: (filling: Filling) => boolean;
  put: () => void;
  drop: () => void;
}

const first = (filling: Filling): Partial<FillRule> => filling.props[0] ?? {};
const rules = (some: Partial<FillRule>) => useStage.getState().setFillRules(some, null);
const recipe = (some: Partial<Filling>) => useStage.getState().setFilling(some);

export const FILL_CLAUSES: FillClause[] = [
  {
    id: "sides",
    words: "on any of their sides…",
    here: (f) => first(f).sides === "any",
    put: () => rules({ sides: "any" }),
    drop: () => rules({ sides: "base" }),
  },
  {
    id: "turn",
    words: "turned in other steps…",
    here: (f) => (first(f).turn_step_deg ?? 90) !== 90,
    put: () => rules({ turn_step_deg: 45 }),
    drop: () => rules({ turn_step_deg: 90 }),
  },
  {
    id: "size",
    words: "of different sizes…",
    here: (f) => !!first(f).size && (first(f).size![0] !== 1 || first(f).size![1] !== 1),
    put: () => rules({ size: [0.9, 1.1] }),
    drop: () => rules({ size: [1, 1] }),
  },
  {
    id: "nest",
    words: "none in another's hollow…",
    here: (f) => first(f).nest === false,
    put: () => rules({ nest: false }),
    drop: () => rules({ nest: true }),
  },
  {
    id: "stacked",
    words: "stacked only so high…",
    here: (f) => f.most_stacked != null,
    put: () => recipe({ most_stacked: 4 }),
    drop: () => recipe({ most_stacked: null }),
  },
  {
    id: "front",
    words: "with room left at the front…",
    here: (f) => (f.front_room_m ?? 0) > 0,
    put: () => recipe({ front_room_m: 0.05 }),
    drop: () => recipe({ front_room_m: 0 }),
  },
  {
    id: "row",
    words: "the front row first…",
    here: (f) => f.first_row === "front",
    put: () => recipe({ first_row: "front" }),
    drop: () => recipe({ first_row: "back" }),
  },
  {
    id: "hand",
    words: "only where a hand can bring it…",
    here: (f) => f.by_hand === true,
    put: () => recipe({ by_hand: true }),
    drop: () => recipe({ by_hand: false }),
  },
];

/** Put a prop into the filling, or take it out. */
export function toggleInFilling(prop: string): void {
  const { filling, setFilling } = useStage.getState();
  const without = filling.props.filter((rule) => rule.prop !== prop);
  // A further prop follows the words that are said of all.
  const fresh = {
    ...(filling.props[0] ?? {}),
    prop,
    piece: null,
    file: null,
    name: prop,
    share: 1,
    count: null,
  };
  setFilling({ props: without.length < filling.props.length ? without : [...filling.props, fresh] });
}

/** Mark a box out as the bay that is filled. */
async function markBay(pose: Pose): Promise<void> {
  const change = await make({ kind: "mark_out", prop: PAPER_BOX, pose, name: freshName("bay") });
  const key = change?.deltas.find((delta) => delta.kind === "region")?.key;
  if (key) recipe({ bay: key });
}

/** A name that no region has. */
function freshName(name: string): string {
  const taken = new Set([...useStage.getState().regions.values()].map((region) => region.name));
  for (let n = 1; n <= taken.size; n++) if (!taken.has(`${name} ${n}`)) return `${name} ${n}`;
  return `${name} ${taken.size + 1}`;
}

/** The compartment about a point of a surface is what is filled: one that is marked out there, or a new one. */
export async function chooseBay(point: Triple, normal: Triple): Promise<void> {
  const { key, set, busy } = useStage.getState();
  if (!key) return;
  busy(1);
  try {
    const { pose } = await wanted<Schemas["BaySchema"]>(
      client.POST("/api/sets/{key}/bay", { params: { path: { key } }, body: { point, normal } }),
    );
    const there = sameBox(pose);
    if (there) recipe({ bay: there });
    else await markBay(pose);
  } catch (problem) {
    set({ note: (problem as Error).message });
  } finally {
    busy(-1);
  }
}

const SAME_BOX = 1e-3;

/** The key of a box that is marked out there already. */
function sameBox(pose: Pose): string | null {
  const near = (a: readonly number[], b: readonly number[]) =>
    a.every((v, k) => Math.abs(v - b[k]!) < SAME_BOX);
  for (const region of useStage.getState().regions.values())
    if (
      region.prop === PAPER_BOX &&
      near(region.pose.position, pose.position) &&
      near(region.pose.scale, pose.scale)
    )
      return region.key;
  return null;
}

/** A box that was drawn on the floor and pulled up is what is filled. */
export function drawnBay({ at: [x, y, z], across, along, height }: DrawnBox): void {
  useStage.getState().set({ drawingBay: false });
  void markBay({
    position: [x, y + 0.5 * height, z],
    orientation: [0, 0, 0, 1],
    scale: [across, height, along],
  });
}

/** Why a bay cannot be filled yet; null where it can. */
export function whyNotFill(filling: Filling): string | null {
  if (!filling.props.length) return "Choose one prop or several from the trolley.";
  if (filling.bay === NO_BAY) return "Press into the compartment that is to be filled.";
  return null;
}

/** Fill the bay, in place of what was there before; whether it was done. `keep`: what stands and can stay, stays. */
export const fill = oneAtATime(async (keep: boolean): Promise<boolean> => {
  const { filling, openFilling, fillingName, set, recipes } = useStage.getState();
  const problem = whyNotFill(filling);
  if (problem) {
    set({ note: problem });
    return false;
  }
  const again = openFilling !== null && recipes.has(openFilling) ? openFilling : null;
  const change = await make({
    kind: "fill",
    recipe: filling,
    again,
    keep: keep && again !== null,
    name: fillingName.slice(0, 80),
  });
  if (!change) return false;
  const made = change.deltas.find((delta) => delta.kind === "recipe")?.key ?? again;
  if (useStage.getState().verb === "fill" && made) useStage.getState().takeUpFilling(made);
  set({ note: change.words });
  return true;
});

/** Fill it once more with another seed, from nothing. */
export function fillAnew(): void {
  const { filling, setFilling } = useStage.getState();
  setFilling({ seed: (filling.seed ?? 1) + 1 });
  void fill(false);
}

/** Try several ways to fill the bay, side by side. Nothing is changed until one of them is adopted. */
export async function tryFillings(): Promise<void> {
  const { filling, openFilling, recipes, key } = useStage.getState();
  if (!key) return;
  const again = openFilling !== null && recipes.has(openFilling) ? openFilling : null;
  await begun(
    wanted<Job>(
      client.POST("/api/sets/{key}/jobs/fill", {
        params: { path: { key } },
        body: { recipe: filling, trials: TRIALS, again },
      }),
    ),
  );
}

/** Make the filling that is looked at, and forget the others once it is there. */
export async function adoptFilling(outcome: Outcome): Promise<void> {
  const { job, setFilling } = useStage.getState();
  if (!outcome.recipe) return;
  setFilling(outcome.recipe);
  if (await fill(false)) await discard(job?.key);
}

/** What lies on top: pieces of the filling in hand on which no other one of it stands. */
export function onTop(): string[] {
  const { pieces, fits, openFilling } = useStage.getState();
  const own = [...pieces.values()].filter((p) => openFilling !== null && p.recipe === openFilling);
  const bearing = new Set(own.flatMap((p) => fits.get(p.key)?.rests_on ?? []));
  return own.filter((p) => !bearing.has(p.key)).map((p) => p.key);
}

/** Let gravity act on what lies on top, shaken a little, so that it looks used. What comes of it is finished exactly. */
export async function loosenTop(): Promise<void> {
  const { select, setSettle, setVerb } = useStage.getState();
  select(onTop());
  setSettle({ what: "selected", lift: 0, jitter: LOOSENED_BY, hand: "no", trials: 1 });
  setVerb("settle");
  await beginSettle();
}

export async function wipeOutBay(region: string): Promise<void> {
  await make({ kind: "wipe_out", regions: [region] });
}

/** Read a table of props into the filling. What is wrong is told by its rows. */
export async function readList(file: File): Promise<void> {
  const { props, setFilling, set } = useStage.getState();
  try {
    const named = Object.fromEntries([...props.values()].map((prop) => [prop.name, prop.key]));
    const found = await wanted<Schemas["ListSchema"]>(
      client.POST("/api/prop-lists/read", { body: { text: await file.text(), props: named } }),
    );
    setFilling({ props: found.props });
    set({ note: `${found.props.length} props are read from ${file.name}` });
  } catch (problem) {
    tell(problem);
  }
}

/** The props of the filling as a table, which a spreadsheet opens. */
export async function writeList(): Promise<void> {
  const { filling, props, fillingName } = useStage.getState();
  try {
    const names = Object.fromEntries([...props.values()].map((prop) => [prop.key, prop.name]));
    const { text } = await wanted<Schemas["ListWritten"]>(
      client.POST("/api/prop-lists/write", { body: { props: filling.props, names } }),
    );
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
    link.download = `${fillingName || "props"}.csv`;
    link.click();
    URL.revokeObjectURL(link.href);
  } catch (problem) {
    tell(problem);
  }
}

/** The bay in hand, where it is a box whose sides can be pulled. */
export function bayInHand(): Box[] {
  const { regions, filling } = useStage.getState();
  return boxesOf(regions, [filling.bay]);
}
