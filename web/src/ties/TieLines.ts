/** Ties as they are drawn: a thin line between what they keep apart or together; those that do not hold in clay. */
import * as THREE from "three";

import type { Schemas } from "../api/client";
import { type PlumbLabel, emptied } from "../drawing/marks";
import { measureWords } from "./words";

const KEPT = new THREE.LineDashedMaterial({
  color: "#22303a",
  dashSize: 0.02,
  gapSize: 0.014,
  transparent: true,
  opacity: 0.6,
  depthTest: false,
});
const NAMED = new THREE.LineBasicMaterial({ color: "#22303a", transparent: true, depthTest: false });
const BROKEN = new THREE.LineBasicMaterial({ color: "#a9482a", transparent: true, depthTest: false });
const TICK = 0.02;
const OVER_ALL = 9;

export type Measure = Schemas["MeasureSchema"];
export type Tie = Schemas["TieSchema"];

export class TieLines {
  readonly group = new THREE.Group();
  labels: PlumbLabel[] = [];

  /** Draw these ties. `loud`: keys of those that are named beside their line although they hold; `inTheWay`: of those that
   * forbid what was tried. */
  show(
    ties: Iterable<Tie>,
    measures: ReadonlyMap<string, Measure>,
    loud: ReadonlySet<string>,
    inTheWay: ReadonlySet<string>,
  ): void {
    emptied(this.group);
    this.labels = [];
    for (const tie of ties) {
      const measure = measures.get(tie.key);
      if (!measure || tie.tie === "join") continue;
      const [from, to] = [new THREE.Vector3(...measure.mine), new THREE.Vector3(...measure.theirs)];
      const wrong = !measure.holds || inTheWay.has(tie.key);
      const named = wrong || loud.has(tie.key);
      const along = to.clone().sub(from);
      const side = new THREE.Vector3(0, 1, 0).cross(along);
      if (side.lengthSq() < 1e-12) side.set(1, 0, 0);
      side.setLength(TICK);
      const points = [from, to];
      for (const end of [from, to]) points.push(end.clone().sub(side), end.clone().add(side));
      const line = new THREE.LineSegments(
        new THREE.BufferGeometry().setFromPoints(points),
        wrong ? BROKEN : named ? NAMED : KEPT,
      );
      line.computeLineDistances();
      line.renderOrder = OVER_ALL;
      this.group.add(line);
      if (!named) continue;
      const text = measureWords(tie, measure);
      this.labels.push({ at: from.clone().lerp(to, 0.5), text, quiet: !wrong, over: true });
    }
  }
}
