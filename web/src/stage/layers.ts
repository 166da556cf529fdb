/** The scene as it is drawn: the set as it stands, and over it what activities show for as long as they go on.
 *
 * An activity opens a layer, says what is to be seen, and closes it. With the layer goes all that it showed and held, however it ends,
 * and what comes later than that is dropped here. Nothing is drawn in any other way.
 */
import type * as THREE from "three";

import type { Piece, Pose, Triple } from "../api/client";
import type { DrawnSeat } from "../seats/SeatMarks";
import { NOTHING_BARRED, type Barred } from "../state/scatter";
import type { TieLines } from "../ties/TieLines";
import type { CaughtSign } from "./CaughtMark";
import type { Ring } from "./rings";

/** The set: its pieces, and models of walls that something is cut into, by key. */
export interface Standing {
  pieces: ReadonlyMap<string, Piece>;
  shapes: ReadonlyMap<string, string>;
}

/** Of what recipes laid, how much is drawn, and who of it in any case. */
export interface Thinned {
  share: number;
  spared: ReadonlySet<string>;
}

/** A prop as it would stand. */
export interface GhostOf {
  file: string;
  pose: Pose;
  clashing: boolean;
  label: string | null;
  at: Triple;
}

export interface StandIn {
  object: THREE.Object3D;
  pose: Pose;
}

export interface TapeBetween {
  from: THREE.Vector3;
  to: THREE.Vector3;
  text: string;
}

export interface Flag {
  at: Triple;
  text: string;
}

/** What many layers may say something of at once: of each key the layer above counts. */
interface Together {
  /** Where pieces are drawn instead of where they stand. */
  poses: ReadonlyMap<string, Pose>;
  /** Pieces that are not on the set. What stands on it by the same key counts. */
  guests: ReadonlyMap<string, Piece>;
  /** Models of props of guests that the store has not. */
  files: ReadonlyMap<string, string>;
  /** Models of pieces that are tried. */
  shapes: ReadonlyMap<string, string>;
  /** What is drawn in the place of pieces. */
  standIns: ReadonlyMap<string, StandIn>;
  /** Where regions are drawn instead of where they are. */
  regionPoses: ReadonlyMap<string, Pose>;
}

/** Keys: those of all layers. */
interface Keys {
  /** Pieces that are not there. */
  absent: ReadonlySet<string>;
  /** Pieces that are there, and left out of the picture. */
  veiled: ReadonlySet<string>;
  /** Pieces that nobody else may move meanwhile. */
  holds: ReadonlySet<string>;
}

/** Of these the uppermost layer counts that says anything. */
interface Alone {
  thinned: Thinned;
  seeThrough: boolean;
  ghost: GhostOf | null;
  tape: TapeBetween | null;
  seats: readonly DrawnSeat[];
  caught: readonly CaughtSign[];
  ties: Parameters<TieLines["show"]>;
  /** Points of the world, x, y, z one after the other. */
  dots: readonly number[];
  /** The same for what is pulled, seen through what is before it. */
  handles: readonly number[];
  /** Ground where nothing may lie. */
  barred: Barred;
  rings: readonly Ring[];
  flags: readonly Flag[];
}

/** What a layer shows. What it says nothing of is seen as it is below it. */
export type Shown = Partial<Together & Keys & Alone>;

export type Scene = Omit<Together, "guests"> &
  Omit<Keys, "absent"> &
  Alone & { pieces: ReadonlyMap<string, Piece> };

/** From the lowest up: how the set is looked at, what marks it, what a job shows, what a tool shows where it points, what a figure that is
 * scrubbed would do, and what is dragged. */
export const RANKS = ["look", "marks", "job", "tool", "figure", "drag"] as const;
export type Rank = (typeof RANKS)[number];

const NO_KEYS: ReadonlySet<string> = new Set();
const NO_ENTRIES: ReadonlyMap<string, never> = new Map<string, never>();
const PLAIN: Alone = {
  thinned: { share: 1, spared: NO_KEYS },
  seeThrough: false,
  ghost: null,
  tape: null,
  seats: [],
  caught: [],
  ties: [[], new Map(), new Set(), new Set()],
  dots: [],
  handles: [],
  barred: NOTHING_BARRED,
  rings: [],
  flags: [],
};
const ALONE = Object.keys(PLAIN) as (keyof Alone)[];

/** All entries, the later ones over the earlier; one map as it is, so that it is seen that nothing has changed. */
function over<V>(maps: readonly ReadonlyMap<string, V>[]): ReadonlyMap<string, V> {
  const some = maps.filter((map) => map.size);
  return some.length > 1 ? new Map(some.flatMap((map) => [...map])) : (some[0] ?? NO_ENTRIES);
}

function union(sets: readonly ReadonlySet<string>[]): ReadonlySet<string> {
  const some = sets.filter((set) => set.size);
  return some.length > 1 ? new Set(some.flatMap((set) => [...set])) : (some[0] ?? NO_KEYS);
}

/** What is there: the set and its guests, without what is absent. */
export function present(
  standing: ReadonlyMap<string, Piece>,
  guests: ReadonlyMap<string, Piece>,
  absent: ReadonlySet<string>,
): ReadonlyMap<string, Piece> {
  if (!guests.size && !absent.size) return standing;
  // What was adopted stands, and its visit is over.
  return new Map([...guests, ...standing].filter(([key]) => !absent.has(key)));
}

/** The scene of a set under layers, the lowest first. `there`: as `present`, where it is known already. */
export function compose(standing: Standing, layers: readonly Shown[], there = present): Scene {
  const said = <K extends keyof Shown>(field: K) =>
    layers.map((layer) => layer[field]).filter((value) => value !== undefined);
  const standIns = over(said("standIns"));
  const alone = Object.fromEntries(ALONE.map((field) => [field, said(field).at(-1) ?? PLAIN[field]]));
  return {
    ...(alone as unknown as Alone),
    pieces: there(standing.pieces, over(said("guests")), union(said("absent"))),
    poses: over(said("poses")),
    files: over(said("files")),
    shapes: over([standing.shapes, ...said("shapes")]),
    standIns,
    regionPoses: over(said("regionPoses")),
    veiled: union([...said("veiled"), new Set(standIns.keys())]),
    holds: union(said("holds")),
  };
}

export const EMPTY_SCENE = compose({ pieces: NO_ENTRIES, shapes: NO_ENTRIES }, []);

/** What one activity shows while it goes on. Once it is closed nothing of it is seen, and nothing can be shown by it any more. */
export class Layer {
  /** What is seen of it now. */
  shown: Shown = {};
  private asked = 0;

  constructor(
    readonly rank: Rank,
    private readonly layers: Layers,
  ) {}

  get isOpen(): boolean {
    return this.layers.has(this);
  }

  /** Show this, and what it showed of everything else as before. Resolves when it is drawn, models and all. */
  show(shown: Shown): Promise<void> {
    return this.only({ ...this.shown, ...shown });
  }

  /** Show this and nothing else. */
  only(shown: Shown): Promise<void> {
    if (!this.isOpen) return Promise.resolve();
    this.shown = shown;
    return this.layers.changed();
  }

  /** What comes of a question; undefined where a newer one was asked of this layer meanwhile, or it was cleared or closed. */
  async latest<T>(question: Promise<T>): Promise<T | undefined> {
    const turn = ++this.asked;
    const found = await question;
    return turn === this.asked && this.isOpen ? found : undefined;
  }

  /** Whatever was asked is not wanted any more. */
  overtake(): void {
    this.asked += 1;
  }

  /** Show nothing, and want nothing that was asked. */
  clear(): void {
    this.overtake();
    if (Object.keys(this.shown).length) void this.only({});
  }

  /** It is over: nothing of it is seen or held any more. */
  close(): void {
    this.overtake();
    this.layers.close(this);
  }
}

/** The layers that are open over a set. `draw`: draws a scene, and resolves when all of it is there; `hold`: takes hold of pieces, so that
 * nobody else moves them; `fail`: told what could not be drawn. */
export class Layers {
  private readonly opened: Layer[] = [];
  private standing: Standing = { pieces: NO_ENTRIES, shapes: NO_ENTRIES };
  private held = "";
  private known: { from: [unknown, unknown, unknown]; pieces: ReadonlyMap<string, Piece> } | null = null;

  constructor(
    private readonly draw: (scene: Scene) => Promise<void>,
    private readonly hold: (keys: string[]) => void,
    private readonly fail: (problem: Error) => void,
  ) {}

  /** Open a layer over all of its rank and below. */
  open(rank: Rank, shown: Shown = {}): Layer {
    const layer = new Layer(rank, this);
    const after = this.opened.findLastIndex((other) => RANKS.indexOf(other.rank) <= RANKS.indexOf(rank));
    this.opened.splice(after + 1, 0, layer);
    if (Object.keys(shown).length) void layer.only(shown);
    return layer;
  }

  has(layer: Layer): boolean {
    return this.opened.includes(layer);
  }

  close(layer: Layer): void {
    const at = this.opened.indexOf(layer);
    if (at < 0) return;
    this.opened.splice(at, 1);
    if (Object.keys(layer.shown).length) void this.changed();
  }

  /** The set stands otherwise. Rejects when a model did not come. */
  stand(standing: Partial<Standing>): Promise<void> {
    this.standing = { ...this.standing, ...standing };
    return this.redraw();
  }

  /** A layer shows something else. Resolves when it is drawn. */
  changed(): Promise<void> {
    return this.redraw().catch(this.fail);
  }

  /** The scene as it is now. */
  scene(): Scene {
    return compose(
      this.standing,
      this.opened.map((layer) => layer.shown),
      (...from) => {
        if (!this.known?.from.every((one, i) => one === from[i]))
          this.known = { from, pieces: present(...from) };
        return this.known.pieces;
      },
    );
  }

  private redraw(): Promise<void> {
    const scene = this.scene();
    const held = [...scene.holds].sort();
    if (held.join("\n") !== this.held) {
      this.held = held.join("\n");
      this.hold(held);
    }
    return this.draw(scene);
  }
}
