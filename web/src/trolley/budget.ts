/** What a set weighs: its unique props, their triangles and bytes, and what was wheeled on and is not used. */
import type { Piece, Prop } from "../api/client";

export interface Budget {
  props: number;
  triangles: number;
  bytes: number;
  unused: string[];
}

export function budgetOf(
  pieces: ReadonlyMap<string, Piece>,
  props: ReadonlyMap<string, Prop>,
  trolley: string[],
): Budget {
  const used = new Set([...pieces.values()].map((p) => p.prop));
  const known = [...used].map((k) => props.get(k)).filter((p) => p !== undefined);
  return {
    props: used.size,
    triangles: known.reduce((sum, p) => sum + p.triangles, 0),
    bytes: known.reduce((sum, p) => sum + p.size, 0),
    unused: trolley.filter((k) => !used.has(k)),
  };
}

export function inMegabytes(bytes: number): string {
  if (bytes >= 1e9) return `${(bytes / 1e9).toFixed(1)} GB`;
  return `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
}
