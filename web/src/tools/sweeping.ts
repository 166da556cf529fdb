/** A rectangle swept over the stage: shown while it is, and told of when the pointer is let go. */
import type { Beside } from "../stage/beside";
import { type At, type Gesture, type Rectangle, far, rectangle } from "./tool";

/** `swept` hears where the pointer was let go, and the rectangle; null when it was a mere press. */
export function sweeping(beside: Beside, from: At, swept: (at: At, box: Rectangle | null) => void): Gesture {
  let moved = false;
  return {
    move: (at) => {
      moved = moved || far(from, at);
      if (moved) beside.sweep(rectangle(from, at));
    },
    up: (at) => swept(at, moved ? rectangle(from, at) : null),
    cancel: () => undefined,
  };
}
