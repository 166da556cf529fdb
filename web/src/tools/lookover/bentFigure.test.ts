import * as THREE from "three";
import { describe, expect, it } from "vitest";

import { BentFigure } from "./bentFigure";

/** An upper arm with a forearm on it, each a metre long, hanging straight down. */
function arm(): THREE.Group {
  const group = new THREE.Group();
  const upper = new THREE.Group();
  upper.name = THREE.PropertyBinding.sanitizeNodeName("left shoulder");
  const fore = new THREE.Group();
  fore.name = THREE.PropertyBinding.sanitizeNodeName("left elbow");
  fore.position.y = -1;
  const hand = new THREE.Group();
  hand.name = "hand";
  hand.position.y = -1;
  group.add(upper.add(fore.add(hand)));
  return group;
}

const hand = (figure: BentFigure) =>
  figure.group
    .getObjectByName("hand")!
    .getWorldPosition(new THREE.Vector3())
    .toArray()
    .map((v) => Math.round(v * 1e6) / 1e6 + 0);

describe("a figure whose limbs are turned", () => {
  it("is bent from where it came, not from where it was bent to before", () => {
    const figure = new BentFigure(arm());
    figure.bend([]);
    expect(hand(figure)).toEqual([0, -2, 0]);
    figure.bend([{ joint: "left elbow", axis: "x", degrees: -90 }]);
    expect(hand(figure)).toEqual([0, -1, 1]);
    figure.bend([
      { joint: "left shoulder", axis: "x", degrees: -90 },
      { joint: "left elbow", axis: "x", degrees: -90 },
    ]);
    expect(hand(figure)).toEqual([0, 1, 1]);
    figure.bend([{ joint: "no such joint", axis: "y", degrees: 10 }]);
    expect(hand(figure)).toEqual([0, -2, 0]);
  });

  it("turns about its own axes, one after the other", () => {
    const figure = new BentFigure(arm());
    figure.bend([
      { joint: "left shoulder", axis: "x", degrees: -90 },
      { joint: "left shoulder", axis: "y", degrees: 90 },
      { joint: "left elbow", axis: "x", degrees: -90 },
    ]);
    // Forwards, then round the arm itself: the forearm lies level, to its left.
    expect(hand(figure)).toEqual([1, 0, 1]);
  });
});
