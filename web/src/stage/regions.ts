/** Keep-outs and bays, drawn as see-through paper with dark edges. They are not picked and cast no shadow. */
import * as THREE from "three";

import type { Pose, Schemas } from "../api/client";
import { loadModel } from "../drawing/models";
import { matrixOf } from "../drawing/matrixOf";

type Region = Schemas["RegionSchema"];
const CREASE_DEGREES = 25;

export class Regions {
  readonly group = new THREE.Group();
  private readonly paper = new THREE.MeshBasicMaterial({
    color: "#fffdf8",
    transparent: true,
    opacity: 0.45,
    depthWrite: false,
    // Only its far sides: what stands inside is seen as it is.
    side: THREE.BackSide,
    // Behind the walls that it lies on.
    polygonOffset: true,
    polygonOffsetFactor: 1,
    polygonOffsetUnits: 4,
  });
  private readonly ink = new THREE.LineBasicMaterial({ color: "#5f6b72" });
  private turn = 0;
  private pulled: ReadonlyMap<string, Pose> = new Map();

  constructor(
    private readonly fileOf: (prop: string) => string | undefined,
    private readonly redraw: () => void,
  ) {}

  /** Show exactly these regions. */
  async show(regions: ReadonlyMap<string, Region>): Promise<void> {
    const mine = ++this.turn;
    const drawn = await Promise.all([...regions.values()].map((region) => this.drawn(region)));
    if (mine !== this.turn) return;
    this.clear();
    for (const object of drawn) if (object) this.group.add(object);
    this.pull(this.pulled);
  }

  /** Draw some elsewhere, or larger, while they are being changed, and all others as they are. */
  pull(poses: ReadonlyMap<string, Pose>): void {
    this.pulled = poses;
    for (const object of this.group.children) {
      const pose = poses.get(object.name) ?? (object.userData.pose as Pose);
      matrixOf(pose).decompose(object.position, object.quaternion, object.scale);
    }
    this.redraw();
  }

  private async drawn(region: Region): Promise<THREE.Object3D | null> {
    const file = this.fileOf(region.prop);
    if (!file) return null;
    const model = await loadModel(file);
    const object = new THREE.Group();
    object.name = region.key;
    for (const { geometry } of model.parts) {
      object.add(new THREE.Mesh(geometry, this.paper));
      object.add(new THREE.LineSegments(new THREE.EdgesGeometry(geometry, CREASE_DEGREES), this.ink));
    }
    object.userData.pose = region.pose;
    return object;
  }

  /** Geometries of models are shared and stay; the edges were made here. */
  private clear(): void {
    this.group.traverse((node) => {
      if (node instanceof THREE.LineSegments) (node.geometry as THREE.BufferGeometry).dispose();
    });
    this.group.clear();
  }

  dispose(): void {
    this.turn += 1;
    this.clear();
    this.paper.dispose();
    this.ink.dispose();
  }
}
