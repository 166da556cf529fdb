/** Make a move, undo, redo: the only ways the browser changes a set. */
import { tell, told } from "../ui/telling";
import { toast } from "sonner";

import {
  type Change,
  type Feeler,
  type Fit,
  type Move,
  type Prop,
  ServerError,
  type SetData,
  type Triple,
  client,
  wanted,
} from "../api/client";
import type { LiveLine, Previewed } from "../api/live";
import { piecesOf, posesOf } from "../api/mirror";
import { useStage } from "../state";
import { lostBy } from "../state/lost";
import { selectingMade } from "./selectingMade";
import type { Layer, Shown } from "./layers";
import type { StageView } from "./view";

/** Props that are asked for at once. */
const MOST_ASKED = 100;

/** Fetch the whole set again. Another set may be open by the time it comes; then it is not wanted any more. */
export async function reload(key: string): Promise<void> {
  const data = await wanted<SetData>(client.GET("/api/sets/{key}", { params: { path: { key } } }));
  const now = useStage.getState();
  if (now.key === key && data.revision >= now.revision) now.open(data);
}

/** What a move would do, as a layer shows it: new pieces are its guests. */
export function previewOf({ deltas, shapes }: Previewed): Pick<Shown, "poses" | "guests" | "shapes"> {
  const { pieces } = useStage.getState();
  const made = piecesOf(deltas).flatMap(([key, piece]) =>
    piece && !pieces.has(key) ? [[key, piece] as const] : [],
  );
  return { poses: posesOf(deltas), guests: new Map(made), shapes: new Map(Object.entries(shapes)) };
}

/** Shows what moves would do while a figure is scrubbed; only the newest counts. */
export function tryingOn(view: StageView, line: LiveLine): (move: Move | null) => void {
  let layer: Layer | null = null;
  return (move) => {
    if (!move) {
      layer?.close();
      layer = null;
      return;
    }
    const mine = (layer ??= view.layers.open("figure"));
    void mine.latest(line.previewMove(move)).then((previewed) => {
      if (previewed) void mine.only(previewOf(previewed));
    });
  };
}

/** Props that came with a change (somebody else's, or swapped in) and are not known here yet. */
export async function learnNew(change: Change): Promise<void> {
  const { props } = useStage.getState();
  const fresh = new Set(
    change.deltas.flatMap(({ kind, after }) =>
      (kind === "piece" || kind === "region") && after && !props.has(after.prop) ? [after.prop] : [],
    ),
  );
  await learnProps([...fresh]);
}

/** Learn the figures of props, many at once. */
async function learnProps(keys: string[]): Promise<void> {
  const { key, learn } = useStage.getState();
  if (!key) return;
  for (let from = 0; from < keys.length; from += MOST_ASKED) {
    const params = { path: { key }, query: { keys: keys.slice(from, from + MOST_ASKED) } };
    learn(await wanted<Prop[]>(client.GET("/api/sets/{key}/props", { params })));
  }
}

/** A prop that is known here was made anew: learn its figures and its model again. */
export async function learnAgain(key: string): Promise<void> {
  if (useStage.getState().props.has(key)) await learnProps([key]);
}

/** Ask for a change and bring the stage up to it. `stopped`: whether whoever asked has given it up since. */
export async function carry(
  key: string,
  ask: () => Promise<Change | null>,
  stopped: () => boolean = () => false,
): Promise<Change | null> {
  const { busy, apply, line } = useStage.getState();
  if (line === "lost") {
    // It would be made when the server is back, out of the blue.
    toast.error("The server is away; nothing was changed. Try again when it is back.");
    return null;
  }
  busy(1);
  try {
    const change = await ask();
    if (!change) return null;
    await learnNew(change);
    if (useStage.getState().key === key && apply(change) === "behind") await reload(key);
    for (const { key: piece, reason } of change.left.slice(0, 3)) {
      const name = useStage.getState().pieces.get(piece)?.name ?? "A piece";
      toast(`${name} is left as it is: ${reason}`);
    }
    if (change.left.length > 3)
      toast(`${change.left.length - 3} more are left as they are; their reasons stand with them.`);
    return change;
  } catch (error) {
    if (error instanceof ServerError && stopped()) toast(error.message);
    else if (error instanceof ServerError && error.ties.length) tellOfTies(error.message, error.ties);
    else tell(error);
    return null;
  } finally {
    busy(-1);
  }
}

/** Whoever lost what they stood on by a move is told of until it is put right or left so. An undo is none: what hung before hangs again. */
function noteLost(change: Change, before: ReadonlyMap<string, Fit>): void {
  const fresh = lostBy(change, before);
  if (fresh.length) useStage.getState().set({ lost: [...new Set([...useStage.getState().lost, ...fresh])] });
}

/** Ties are in the way of a move: each is named, shown on the stage, and loosened by one press. */
export function tellOfTies(words: string, ties: string[]): void {
  const { measures, set } = useStage.getState();
  set({ tiesInTheWay: ties });
  toast.error(words, { id: "ties in the way" });
  for (const key of ties) {
    const named = measures.get(key)?.words;
    if (!named) continue;
    toast(named, {
      id: `tie ${key}`,
      duration: 12_000,
      action: { label: "Loosen it", onClick: () => void make({ kind: "loosen", ties: [key] }) },
    });
  }
}

/** Moves that were asked for here and are not answered yet. */
const asked = new Set<string>();

export const isMine = (ask: string) => asked.has(ask);

export async function make(move: Move): Promise<Change | null> {
  const { key, endUnderWay, fits } = useStage.getState();
  if (!key) return null;
  const ask = freshName();
  asked.add(ask);
  try {
    const change = await carry(
      key,
      () => askedOnce(key, move, ask),
      () => useStage.getState().underWay.some((now) => now.ask === ask && now.stopping),
    );
    if (change) noteLost(change, fits);
    return change;
  } finally {
    asked.delete(ask);
    endUnderWay(ask);
  }
}

/** `run`, passed over while it is under way already: who presses twice means it once. */
export function oneAtATime<A extends unknown[], R>(
  run: (...given: A) => Promise<R>,
): (...given: A) => Promise<R> {
  let underWay: Promise<R> | null = null;
  return (...given) => (underWay ??= run(...given).finally(() => (underWay = null)));
}

/** Ask for a move by a name. Where its answer is lost on the way it is asked for once more: by its name it is not made twice. */
async function askedOnce(key: string, move: Move, ask: string): Promise<Change> {
  const sent = () =>
    wanted<Change>(
      client.POST("/api/sets/{key}/moves", {
        params: { path: { key } },
        body: { move },
        headers: { "X-Ask": ask, "Idempotency-Key": ask },
      }),
    );
  try {
    return await sent();
  } catch (error) {
    const lost = error instanceof ServerError && error.status === 0;
    if (!lost || useStage.getState().line !== "joined") throw error;
    return sent();
  }
}

/** A name that no other stage gives, either. */
function freshName(): string {
  return [...crypto.getRandomValues(new Uint8Array(12))]
    .map((byte) => byte.toString(16).padStart(2, "0"))
    .join("");
}

/** Give up a move that takes too long. Nothing of it is kept, but where it is asked to `keep` what a filling has placed. */
export async function stopMove(ask: string, keep = false): Promise<void> {
  const { key, stopping } = useStage.getState();
  if (!key) return;
  stopping(ask);
  await told(
    wanted(client.DELETE("/api/sets/{key}/moves/{ask}", { params: { path: { key, ask }, query: { keep } } })),
  );
}

/** Back, or on again, to how the set was after a step of its history. */
export function goTo(number: number): Promise<Change | null> {
  const { key } = useStage.getState();
  if (!key) return Promise.resolve(null);
  const path = { key, number };
  return carry(key, () =>
    wanted<Change>(client.POST("/api/sets/{key}/history/{number}", { params: { path } })),
  );
}

/** Pieces to where they came to lie in an outcome of a settling: all of it, or only these. */
export async function adopt(
  job: string,
  trial: number,
  keys: string[] | null,
  anyway = false,
): Promise<void> {
  const { key, forget, set } = useStage.getState();
  if (!key) return;
  set({ outrun: null });
  const path = { key, job };
  const asked = wanted<Change>(
    client.POST("/api/sets/{key}/jobs/{job}/adopt", { params: { path }, body: { trial, keys, anyway } }),
  );
  const change = await carry(key, () =>
    asked.catch((problem: unknown) => {
      if (!(problem instanceof ServerError) || problem.code !== "moved_since") throw problem;
      set({ outrun: { job, trial, keys, words: problem.message, pieces: problem.pieces } });
      return null;
    }),
  );
  if (change) forget(job);
}

/** Mend faults, of these pieces or of all, and keep what moved and how far. */
export async function mend(keys: string[] | null): Promise<void> {
  const before = useStage.getState().pieces;
  const change = await make({ kind: "repair", pieces: keys });
  if (!change) return;
  const mended = piecesOf(change.deltas).flatMap(([key, piece]) => {
    const old = before.get(key);
    if (!old || !piece) return [];
    const [a, b] = [old.pose.position, piece.pose.position];
    return [{ key, name: piece.name, by: Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) }];
  });
  useStage.getState().set({ mended });
}

/** Make the bearer of the build slip and stand it at a point. */
export async function buildAt(at: Triple): Promise<void> {
  const { build, set } = useStage.getState();
  if (build.kind === "terrain") {
    set({ note: "choose a height image in the slip; the terrain stands where you press last" });
    return;
  }
  const { turn, kind, ...measures } = build;
  const select = selectingMade();
  const prop = await told(wanted<Prop>(client.POST("/api/bearers", { body: { ...measures, kind } })));
  if (prop) await standBearer(prop, at, turn, select);
}

/** Stand a bearer of the store on the set. */
export async function standBearer(
  prop: Prop,
  at: Triple,
  degrees: number,
  select = selectingMade(),
): Promise<void> {
  useStage.getState().learn([prop]);
  const half = (degrees * Math.PI) / 360;
  const pose = {
    position: at,
    orientation: [0, Math.sin(half), 0, Math.cos(half)] as [number, number, number, number],
    scale: [1, 1, 1] as Triple,
  };
  const change = await make({ kind: "stand", prop: prop.key, pose });
  if (change) select(change.deltas.map((d) => d.key));
}

export function undo(): Promise<Change | null> {
  const { key } = useStage.getState();
  if (!key) return Promise.resolve(null);
  return carry(key, () => wanted<Change>(client.POST("/api/sets/{key}/undo", { params: { path: { key } } })));
}

export function redo(): Promise<Change | null> {
  const { key } = useStage.getState();
  if (!key) return Promise.resolve(null);
  return carry(key, () => wanted<Change>(client.POST("/api/sets/{key}/redo", { params: { path: { key } } })));
}

export async function lookThroughGap(piece: string): Promise<Pick<Feeler, "at" | "azimuth" | "half"> | null> {
  const { key } = useStage.getState();
  if (!key) return null;
  const path = { key, piece };
  return told(wanted<Feeler>(client.GET("/api/sets/{key}/feeler/{piece}", { params: { path } })));
}
