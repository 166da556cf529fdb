/** Where the pointer aims: rays through pixels and what they meet, and where points of the world are on the canvas. Pixels are CSS pixels. */
import * as THREE from "three";

import type { Triple } from "../api/client";
import { metOnPlane, nearestOnLine } from "../drawing/planes";
import type { Cameraman } from "./camera";
import type { Pieces } from "./pieces";
import type { Puck, PuckPart } from "./puck";

const SNAP_PX = 9;

export class Aim {
  private readonly raycaster = new THREE.Raycaster();

  constructor(
    private readonly host: HTMLElement,
    private readonly cameraman: Cameraman,
    private readonly pieces: Pieces,
    private readonly puck: Puck,
  ) {}

  private get camera(): THREE.PerspectiveCamera {
    return this.cameraman.camera;
  }

  /** Radians between two pixels in the middle of the view. */
  get pixel(): number {
    return (2 * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.host.clientHeight);
  }

  /** Where a world point is on the canvas, in CSS pixels. */
  onScreen(point: THREE.Vector3 | Triple): { x: number; y: number } {
    const p = (Array.isArray(point) ? new THREE.Vector3(...point) : point.clone()).project(this.camera);
    return { x: ((p.x + 1) / 2) * this.host.clientWidth, y: ((1 - p.y) / 2) * this.host.clientHeight };
  }

  private aimAt(x: number, y: number): void {
    const ndc = new THREE.Vector2((x / this.host.clientWidth) * 2 - 1, 1 - (y / this.host.clientHeight) * 2);
    this.raycaster.setFromCamera(ndc, this.camera);
  }

  ray(x: number, y: number): { origin: Triple; direction: Triple } {
    this.aimAt(x, y);
    const { origin, direction } = this.raycaster.ray;
    return { origin: origin.toArray(), direction: direction.toArray() };
  }

  /** Where the ray through a pixel meets the plane through `point` with `normal`. */
  onPlane(x: number, y: number, point: Triple, normal: Triple): Triple | null {
    this.aimAt(x, y);
    const met = metOnPlane(this.raycaster.ray, new THREE.Vector3(...point), new THREE.Vector3(...normal));
    return met?.toArray() ?? null;
  }

  /** Metres from `point` along the unit `direction` to what is nearest to the ray through a pixel. */
  alongLine(x: number, y: number, point: THREE.Vector3, direction: THREE.Vector3): number | null {
    this.aimAt(x, y);
    return nearestOnLine(this.raycaster.ray, point, direction);
  }

  /** The unit normal of the face under a pixel, towards the eye. */
  pickNormal(x: number, y: number): THREE.Vector3 | null {
    this.aimAt(x, y);
    const [a, b, c] = this.pieces.hit(this.raycaster)?.corners ?? [];
    if (!a || !b || !c) return null;
    const normal = b.clone().sub(a).cross(c.clone().sub(a)).normalize();
    return normal.dot(this.raycaster.ray.direction) > 0 ? normal.negate() : normal;
  }

  /** The point of the set in the middle of the view, or what is walked round when nothing is there. */
  middle(): Triple {
    const { clientWidth, clientHeight } = this.host;
    return (
      this.pick(clientWidth / 2, clientHeight / 2)?.point.toArray() ??
      this.cameraman.controls.target.toArray()
    );
  }

  /** Where a pixel meets the floor at height 0, when no piece is there. */
  onGround(x: number, y: number): THREE.Vector3 | null {
    const hit = this.onPlane(x, y, [0, 0, 0], [0, 1, 0]);
    return hit ? new THREE.Vector3(...hit) : null;
  }

  pick(
    x: number,
    y: number,
    counts?: (key: string) => boolean,
  ): { key: string; point: THREE.Vector3 } | null {
    this.aimAt(x, y);
    return this.pieces.pick(this.raycaster, counts);
  }

  /** The point of a piece under a pixel, drawn to the nearest corner of its mesh when that is close. */
  pickPoint(x: number, y: number): THREE.Vector3 | null {
    this.aimAt(x, y);
    const hit = this.pieces.hit(this.raycaster);
    if (!hit) return null;
    const near = hit.corners
      .map((corner) => ({ corner, on: this.onScreen(corner) }))
      .map(({ corner, on }) => ({ corner, away: Math.hypot(on.x - x, on.y - y) }))
      .sort((a, b) => a.away - b.away)[0];
    return near && near.away < SNAP_PX ? near.corner : hit.point;
  }

  /** Keys of those of `keys` whose middle lies in a rectangle of the canvas. */
  within(keys: Iterable<string>, x0: number, y0: number, x1: number, y1: number): string[] {
    const forward = this.camera.getWorldDirection(new THREE.Vector3());
    return [...keys].filter((key) => {
      const box = this.pieces.worldBox([key]);
      if (box.isEmpty()) return false;
      const middle = box.getCenter(new THREE.Vector3());
      if (middle.clone().sub(this.camera.position).dot(forward) <= 0) return false;
      const p = this.onScreen(middle);
      return p.x >= x0 && p.x <= x1 && p.y >= y0 && p.y <= y1;
    });
  }

  puckPart(x: number, y: number): PuckPart | null {
    if (!this.puck.visible) return null;
    this.aimAt(x, y);
    return this.puck.partAt(x, y, this.raycaster.ray, this.camera, this.host.clientHeight, (p) =>
      this.onScreen(p),
    );
  }
}
