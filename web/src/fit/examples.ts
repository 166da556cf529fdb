/** Plain pieces, fits and a set for tests. */
import type { Change, Fit, Job, Piece, SetData } from "../api/client";

export const piece = (
  key: string,
  x: number,
  role: Piece["role"] = "prop",
  more: Partial<Piece> = {},
): Piece => ({
  key,
  name: key,
  prop: "p",
  role,
  pose: {
    position: [x, 0, 0],
    orientation: [0, 0, 0, 1],
    scale: [1, 1, 1],
    basis: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  },
  direction: [0, -1, 0],
  sink: 0,
  stand_off: 0,
  spiked: false,
  group: "",
  recipe: "",
  number: null,
  ...more,
});

export const fit = (key: string, more: Partial<Fit> = {}): Fit => ({
  key,
  state: "seated",
  faults: [],
  gap: 0,
  depth: 0,
  deeper: false,
  rests_on: ["floor"],
  clashes: [],
  touch: null,
  balance_margin: 0.1,
  tilt_deg: 0,
  reason: "",
  grip: null,
  ...more,
});

/** A floor, and a jar and a mug that sit on it. */
export const yard = (more: Partial<SetData> = {}): SetData => ({
  key: "0",
  name: "test yard",
  tolerance: 0.0005,
  trolley: [],
  dressers: [],
  own: true,
  revision: 0,
  look: null,
  pieces: [piece("floor", 0, "bearer"), piece("jar", 0), piece("mug", 1)],
  regions: [],
  ties: [],
  recipes: [],
  cut_outs: [],
  prop_changes: [],
  fits: [fit("jar"), fit("mug")],
  measures: [],
  shapes: {},
  props: [],
  can_undo: null,
  can_redo: null,
  ...more,
});

/** A change that leads to a revision. */
export const change = (revision: number, more: Partial<Change> = {}): Change => ({
  revision,
  words: "moved",
  deltas: [],
  fits: [],
  measures: [],
  shapes: {},
  left: [],
  can_undo: "moved",
  can_redo: null,
  ...more,
});

/** A settling under way. */
export const job = (more: Partial<Job> = {}): Job => ({
  key: "job",
  kind: "settle",
  state: "running",
  phase: "settling",
  count: 0,
  total: 0,
  share: 0,
  revision: 1,
  problem: null,
  lacking: [],
  outcomes: [],
  ...more,
});
