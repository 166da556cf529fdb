/** Boxes that stand on the set as regions: their sides, and what they become when one is pulled. */
import type { Pose, Schemas, Triple } from "../api/client";
import { make } from "../stage/making";

/** The prop of a region that is a box of one metre: its pose says how large it is. */
export const PAPER_BOX = "paper-box";
const LEAST_SIDE = 0.01;

export interface Box {
  key: string;
  pose: Pose;
}

export type Axis = 0 | 1 | 2;

/** Those of the regions of `keys` that are boxes. */
export function boxesOf(regions: ReadonlyMap<string, Schemas["RegionSchema"]>, keys: string[]): Box[] {
  return [...new Set(keys)].flatMap((key) => {
    const region = regions.get(key);
    return region?.prop === PAPER_BOX ? [{ key, pose: region.pose }] : [];
  });
}

/** A box made another size. `low`, `high`: how far each of its two faces across an axis is moved outward. */
export function resizedBox(pose: Pose, axis: Axis, low: number, high: number): Pose {
  const scale = [...pose.scale] as Triple;
  scale[axis] = Math.max(LEAST_SIDE, scale[axis] + low + high);
  const along = axisOf(pose, axis);
  const by = 0.5 * (high - low);
  return { ...pose, scale, position: pose.position.map((v, k) => v + by * along[k]!) as Triple };
}

/** The unit direction of one of a pose's own axes in the world. */
export function axisOf({ orientation: [x, y, z, w] }: Pose, axis: Axis): Triple {
  if (axis === 0) return [1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)];
  if (axis === 1) return [2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)];
  return [2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)];
}

export async function reshape(region: string, pose: Pose): Promise<void> {
  await make({ kind: "reshape", region, pose });
}

/** A side of a box that can be pulled. */
export interface Face {
  axis: Axis;
  /** -1 for the one at the low end of the axis, 1 for the other. */
  side: -1 | 1;
  /** Its middle in the world. */
  at: Triple;
}

export function facesOf(pose: Pose): Face[] {
  return ([0, 1, 2] as const).flatMap((axis) => {
    const along = axisOf(pose, axis);
    return ([-1, 1] as const).map((side) => ({
      axis,
      side,
      at: pose.position.map((v, k) => v + 0.5 * side * pose.scale[axis] * along[k]!) as Triple,
    }));
  });
}

/** Where the handles of boxes are, x, y, z of each one after the other. */
export function handlesOf(boxes: Pick<Box, "pose">[]): number[] {
  return boxes.flatMap(({ pose }) => facesOf(pose).flatMap((face) => face.at));
}
