/** Ties in words: what one keeps, and what it is now. */
import type { Schemas } from "../api/client";
import { inWords } from "../fit/units";

type Tie = Schemas["TieSchema"];
type Measure = Schemas["MeasureSchema"];

/** What a tie keeps, without the pieces. */
export function keptWords(tie: Tie): string {
  if (tie.tie === "gap") return `${tie.at_least ? "at least " : ""}${inWords(tie.distance_m)} apart`;
  if (tie.tie === "square") return tie.angle_deg ? `at ${tie.angle_deg}°` : "square";
  return tie.tie === "cling" ? "clings" : "joined";
}

/** What it measures now, and what was wanted where that is something else. */
export function measureWords(tie: Tie, measure: Measure): string {
  const { value } = measure;
  if (value === null) return "cannot be measured";
  if (tie.tie === "square") return measure.holds ? "square" : `${Math.abs(value).toFixed(2)}° out of square`;
  if (tie.tie === "gap")
    return measure.holds ? inWords(value) : `${inWords(value)}, ${inWords(tie.distance_m)} wanted`;
  if (measure.holds) return tie.tie === "cling" ? "on it" : "together";
  return `${inWords(value)} ${tie.tie === "cling" ? "off it" : "apart"}`;
}
