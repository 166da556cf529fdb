/** Plain pieces and fits for tests. */
import type { Fit, Piece } from "../api/client";

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
  rests_on: ["floor"],
  clashes: [],
  contacts: [],
  touch: null,
  balance_margin: 0.1,
  tilt_deg: 0,
  reason: "",
  ...more,
});
