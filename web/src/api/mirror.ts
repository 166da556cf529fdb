/** The mirror of a set in the browser, and the one reducer that brings it up to a change. */
import type { Change, Delta, Fit, Piece, Pose, Schemas, SetData } from "./client";

export interface Mirror {
  name: string;
  tolerance: number;
  trolley: string[];
  revision: number;
  pieces: ReadonlyMap<string, Piece>;
  regions: ReadonlyMap<string, Schemas["RegionSchema"]>;
  ties: ReadonlyMap<string, Schemas["TieSchema"]>;
  recipes: ReadonlyMap<string, Schemas["RecipeSchema"]>;
  cutOuts: ReadonlyMap<string, Schemas["CutOutSchema"]>;
  propChanges: ReadonlyMap<string, Schemas["PropChangeSchema"]>;
  fits: ReadonlyMap<string, Fit>;
  /** What every tie keeps now. */
  measures: ReadonlyMap<string, Schemas["MeasureSchema"]>;
  /** By piece, the model that it is drawn by instead of its prop's: walls that something is cut into. */
  shapes: ReadonlyMap<string, string>;
  canUndo: string | null;
  canRedo: string | null;
}

const byKey = <T extends { key: string }>(records: T[]): ReadonlyMap<string, T> =>
  new Map(records.map((record) => [record.key, record]));

/** The mirror of a set that has just come whole. */
export function mirrorOf(data: SetData): Mirror {
  return {
    name: data.name,
    tolerance: data.tolerance,
    trolley: data.trolley,
    revision: data.revision,
    pieces: byKey(data.pieces),
    regions: byKey(data.regions),
    ties: byKey(data.ties),
    recipes: byKey(data.recipes),
    cutOuts: byKey(data.cut_outs),
    propChanges: byKey(data.prop_changes),
    fits: byKey(data.fits),
    measures: byKey(data.measures),
    shapes: new Map(Object.entries(data.shapes)),
    canUndo: data.can_undo ?? null,
    canRedo: data.can_redo ?? null,
  };
}

const FIELD = {
  piece: "pieces",
  region: "regions",
  tie: "ties",
  recipe: "recipes",
  cut_out: "cutOuts",
  prop: "propChanges",
} as const;

function sameShapes(before: ReadonlyMap<string, string>, now: Record<string, string>): boolean {
  const files = Object.entries(now);
  return files.length === before.size && files.every(([key, file]) => before.get(key) === file);
}

/** What becomes of the pieces that deltas touch; null: it goes. */
export function piecesOf(deltas: Delta[]): [string, Piece | null][] {
  return deltas.flatMap((d) =>
    d.kind === "piece" ? [[d.key, d.after ?? null] as [string, Piece | null]] : [],
  );
}

/** The poses that deltas bring pieces to. */
export function posesOf(deltas: Delta[]): Map<string, Pose> {
  return new Map(piecesOf(deltas).flatMap(([key, piece]) => (piece ? [[key, piece.pose] as const] : [])));
}

/** The mirror after the next change; "known" when it has it already, "behind" when it missed one before. */
export function reduced(mirror: Mirror, change: Change): Mirror | "known" | "behind" {
  if (change.revision <= mirror.revision) return "known";
  if (change.revision > mirror.revision + 1) return "behind";
  const next: Mirror = { ...mirror, revision: change.revision };
  const copied = new Map<string, Map<string, unknown>>();
  const recordsOf = (field: keyof Mirror): Map<string, unknown> => {
    let records = copied.get(field);
    if (!records) {
      records = new Map(mirror[field] as ReadonlyMap<string, unknown>);
      copied.set(field, records);
    }
    return records;
  };
  for (const delta of change.deltas) {
    if (delta.kind === "set") {
      next.name = delta.after.name;
      next.tolerance = delta.after.tolerance_m;
      next.trolley = delta.after.trolley;
      continue;
    }
    const records = recordsOf(FIELD[delta.kind]);
    if (delta.after) records.set(delta.key, delta.after);
    else records.delete(delta.key);
    // Bearers have no fit, and what is gone has none either.
    if (delta.kind === "piece" && delta.after?.role !== "prop") recordsOf("fits").delete(delta.key);
  }
  for (const fit of change.fits) recordsOf("fits").set(fit.key, fit);
  next.measures = byKey(change.measures);
  if (!sameShapes(mirror.shapes, change.shapes)) next.shapes = new Map(Object.entries(change.shapes));
  next.canUndo = change.can_undo ?? null;
  next.canRedo = change.can_redo ?? null;
  return Object.assign(next, Object.fromEntries(copied));
}
