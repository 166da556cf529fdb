/** Shards and poses are folded under what they came of, so that they crowd nothing. */
import type { Prop } from "../api/client";

export interface Fold {
  prop: Prop;
  /** How many are folded under it. */
  under: number;
  /** It came of the one before it, which is unfolded. */
  inner: boolean;
}

/** In the order of `props`; what came of one of `open` follows it. What came of something that is not among them stands by itself. */
export function folded(props: Prop[], open: ReadonlySet<string>): Fold[] {
  const there = new Set(props.map((p) => p.key));
  const own = (p: Prop) => p.came_of === null || p.came_of === p.key || !there.has(p.came_of);
  const under = new Map<string, Prop[]>();
  for (const p of props) {
    if (own(p)) continue;
    const known = under.get(p.came_of!);
    if (known) known.push(p);
    else under.set(p.came_of!, [p]);
  }
  const found: Fold[] = [];
  // What came of something that came of something follows that: each is gone through once.
  const put = (p: Prop, inner: boolean): void => {
    const mine = under.get(p.key) ?? [];
    under.delete(p.key);
    found.push({ prop: p, under: mine.length, inner });
    if (open.has(p.key)) mine.forEach((each) => put(each, true));
  };
  props.filter(own).forEach((p) => put(p, false));
  return found;
}
