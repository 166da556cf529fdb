/** The puck: a flat disc on the surface that what is selected stands on. Its face slides, its rim turns, the tab on
 * its post raises and sinks, the tab at its corner sizes. Drawn at the size of the footprint, and never too small to take
 * hold of. */
import * as THREE from "three";

import { metOnPlane } from "../drawing/planes";

export type PuckPart = "face" | "rim" | "post" | "corner";

const INK = "#22303a";
const CLAY = "#a9482a";
const CARD = "#fffdf8";
const LEAST_PX = 34;
/** However far apart what is selected stands, the puck stays something to take hold of. */
const MOST_PX = 130;
const TAB_PX = 13;
const RIM_SHARE = 0.2;
const LAST = 20;

function paint(colour: string, opacity: number, hiddenToo: boolean): THREE.MeshBasicMaterial {
  return new THREE.MeshBasicMaterial({
    color: colour,
    transparent: true,
    opacity,
    depthTest: !hiddenToo,
    depthWrite: false,
    side: THREE.DoubleSide,
    toneMapped: false,
  });
}

export class Puck {
  readonly group = new THREE.Group();
  private readonly flat = new THREE.Group();
  private readonly face: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly rim: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly post: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly postTab: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly corner: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private radius = 0.1;
  private height = 0.1;
  private lit: PuckPart | null = null;

  constructor() {
    this.face = new THREE.Mesh(new THREE.CircleGeometry(1, 64), paint(CARD, 0.34, false));
    this.rim = new THREE.Mesh(new THREE.RingGeometry(1, 1 + RIM_SHARE, 96), paint(INK, 0.62, true));
    const notches = new THREE.Mesh(notchGeometry(), paint(CARD, 0.95, true));
    this.post = new THREE.Mesh(new THREE.PlaneGeometry(1, 1), paint(INK, 0.62, true));
    this.postTab = new THREE.Mesh(tabGeometry(), paint(INK, 0.9, true));
    this.corner = new THREE.Mesh(cornerGeometry(), paint(INK, 0.9, true));
    [this.face, this.rim, notches, this.post, this.postTab, this.corner].forEach((mesh, i) => {
      mesh.renderOrder = LAST + i;
      mesh.frustumCulled = false;
    });
    this.flat.rotation.x = -Math.PI / 2;
    this.flat.add(this.face, this.rim, notches, this.corner);
    this.group.add(this.flat, this.post, this.postTab);
    this.group.visible = false;
  }

  /** Lay the puck at `at` on a surface whose way up is `up`, round a footprint of `radius` and below a body of `height`. */
  lay(at: THREE.Vector3, up: THREE.Vector3, radius: number, height: number): void {
    this.group.position.copy(at);
    this.group.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), up);
    this.radius = radius;
    this.height = height;
    this.group.visible = true;
  }

  hide(): void {
    this.group.visible = false;
    this.lit = null;
  }

  get visible(): boolean {
    return this.group.visible;
  }

  get up(): THREE.Vector3 {
    return new THREE.Vector3(0, 1, 0).applyQuaternion(this.group.quaternion);
  }

  get at(): THREE.Vector3 {
    return this.group.position.clone();
  }

  light(part: PuckPart | null): boolean {
    if (part === this.lit) return false;
    this.lit = part;
    const parts: [PuckPart, THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>, string][] = [
      ["face", this.face, CARD],
      ["rim", this.rim, INK],
      ["post", this.postTab, INK],
      ["corner", this.corner, INK],
    ];
    for (const [name, mesh, usual] of parts) mesh.material.color.set(name === part ? CLAY : usual);
    this.face.material.opacity = part === "face" ? 0.5 : 0.34;
    return true;
  }

  /** Size and turn everything for the camera: called before each frame. */
  turnTo(camera: THREE.PerspectiveCamera, pixels: number): void {
    if (!this.group.visible) return;
    const metresPerPixel = this.metresPerPixel(camera, pixels);
    const r = this.shownRadius(camera, pixels);
    this.flat.scale.setScalar(r);
    const side = this.cornerWay(camera);
    const tab = (TAB_PX * metresPerPixel) / r;
    this.corner.position.set(side.x * (1 + RIM_SHARE + tab), side.y * (1 + RIM_SHARE + tab), 0);
    this.corner.scale.setScalar(tab);
    this.corner.rotation.z = Math.atan2(side.y, side.x);
    const top = this.height + 26 * metresPerPixel;
    const turn = this.toCamera(camera);
    this.post.position.set(0, top / 2, 0);
    this.post.scale.set(1.5 * metresPerPixel, top, 1);
    this.post.rotation.y = turn;
    this.postTab.position.set(0, top, 0);
    this.postTab.scale.setScalar(TAB_PX * metresPerPixel);
    this.postTab.rotation.y = turn;
  }

  private metresPerPixel(camera: THREE.PerspectiveCamera, pixels: number): number {
    const away = camera.position.distanceTo(this.group.position);
    return (2 * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2)) * away) / pixels;
  }

  private shownRadius(camera: THREE.PerspectiveCamera, pixels: number): number {
    const pixel = this.metresPerPixel(camera, pixels);
    return Math.min(Math.max(this.radius, LEAST_PX * pixel), MOST_PX * pixel);
  }

  private local(camera: THREE.PerspectiveCamera): THREE.Vector3 {
    return camera.position
      .clone()
      .sub(this.group.position)
      .applyQuaternion(this.group.quaternion.clone().invert());
  }

  private toCamera(camera: THREE.PerspectiveCamera): number {
    const way = this.local(camera);
    return Math.atan2(way.x, way.z);
  }

  /** Where on the rim the corner tab sits: to the right and towards the camera. In the disc's own (x, y). */
  private cornerWay(camera: THREE.PerspectiveCamera): THREE.Vector2 {
    // The disc lies with its y away from the group's z.
    const toCamera = this.toCamera(camera);
    const turn = toCamera + Math.PI / 3;
    return new THREE.Vector2(Math.sin(turn), -Math.cos(turn));
  }

  /** Which part lies under a pixel. `project`: world point to CSS pixels. */
  partAt(
    x: number,
    y: number,
    ray: THREE.Ray,
    camera: THREE.PerspectiveCamera,
    pixels: number,
    project: (point: THREE.Vector3) => { x: number; y: number },
  ): PuckPart | null {
    if (!this.group.visible) return null;
    this.group.updateMatrixWorld(true);
    const near = (mesh: THREE.Object3D) => {
      const p = project(mesh.getWorldPosition(new THREE.Vector3()));
      return Math.hypot(p.x - x, p.y - y) < TAB_PX + 3;
    };
    if (near(this.postTab)) return "post";
    if (near(this.corner)) return "corner";
    const hit = metOnPlane(ray, this.group.position, this.up);
    if (!hit) return null;
    const share = hit.distanceTo(this.group.position) / this.shownRadius(camera, pixels);
    if (share > 1 + RIM_SHARE * 1.15) return null;
    return share > 0.98 ? "rim" : "face";
  }
}

/** A pale notch every 45° on the rim. */
function notchGeometry(): THREE.BufferGeometry {
  const shape: number[] = [];
  for (let k = 0; k < 8; k += 1) {
    const a = (k * Math.PI) / 4;
    const half = k % 2 ? 0.014 : 0.03;
    const [inner, outer] = [1 + RIM_SHARE * 0.3, 1 + RIM_SHARE * 0.7];
    const corner = (r: number, d: number) => [r * Math.cos(a + d), r * Math.sin(a + d), 0];
    const [p, q, s, t] = [
      corner(inner, -half),
      corner(outer, -half),
      corner(outer, half),
      corner(inner, half),
    ];
    shape.push(...p, ...q, ...s, ...p, ...s, ...t);
  }
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.Float32BufferAttribute(shape, 3));
  return geometry;
}

/** A lozenge with a point up and a point down. */
function tabGeometry(): THREE.BufferGeometry {
  const shape = new THREE.Shape();
  shape.moveTo(0, 1);
  shape.lineTo(0.62, 0.12);
  shape.lineTo(0.62, -0.12);
  shape.lineTo(0, -1);
  shape.lineTo(-0.62, -0.12);
  shape.lineTo(-0.62, 0.12);
  shape.closePath();
  return new THREE.ShapeGeometry(shape);
}

/** Two bars square to each other, open towards the disc: a corner that is drawn out. */
function cornerGeometry(): THREE.BufferGeometry {
  const shape = new THREE.Shape();
  shape.moveTo(-0.9, 0.9);
  shape.lineTo(0.9, 0);
  shape.lineTo(-0.9, -0.9);
  shape.lineTo(-0.45, 0);
  shape.closePath();
  return new THREE.ShapeGeometry(shape);
}
