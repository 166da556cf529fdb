/** One prop large: the true mesh on a floor, how it would stand, its contact shape over it, its joints turned. */
import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

import type { Triple } from "../api/client";
import { type Seat, inWorld } from "../seats/frames";
import { HAND, STEM, SeatMarks } from "../seats/SeatMarks";
import { lookAt } from "../drawing/looks";
import { emptied } from "../drawing/marks";
import { metOnPlane } from "../drawing/planes";
import { facing, withClock } from "./seatEdits";

export interface Turn {
  joint: string;
  axis: "x" | "y" | "z";
  degrees: number;
}

const AXES = { x: new THREE.Vector3(1, 0, 0), y: new THREE.Vector3(0, 1, 0), z: new THREE.Vector3(0, 0, 1) };
const RULE = new THREE.LineBasicMaterial({ color: "#b9ab93" });

const AT_HOME = {
  position: [0, 0, 0] as Triple,
  orientation: [0, 0, 0, 1] as [number, number, number, number],
  scale: [1, 1, 1] as Triple,
};
const [GRIP_PX, PRESS_PX] = [11, 4];

/** What is done to seats by hand; places and directions in the prop's own coordinates. */
export interface SeatHands {
  /** The model, or what is beside it, was pressed. */
  pressed: (origin: Triple, direction: Triple, pixel: number) => void;
  chosen: (name: string) => void;
  /** Its arrow or its hand was dragged. */
  turned: (seat: Seat) => void;
}

/** Let go of a model with its materials, which nothing else is drawn with. */
function letGo(model: THREE.Group): void {
  model.traverse((node) => {
    if (!(node instanceof THREE.Mesh || node instanceof THREE.Line)) return;
    const { material } = node as THREE.Mesh<THREE.BufferGeometry, THREE.Material | THREE.Material[]>;
    for (const each of [material].flat()) each.dispose();
  });
  emptied(model);
}

export class PropView {
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(32, 1, 0.001, 500);
  private readonly renderer = new THREE.WebGLRenderer({ antialias: true });
  private readonly controls: OrbitControls;
  private readonly loader = new GLTFLoader();
  /** Turned so that the chosen side is down, and lifted onto the floor. */
  private readonly standing = new THREE.Group();
  private readonly floor = new THREE.Group();
  private model: THREE.Group | null = null;
  private contact: THREE.Group | null = null;
  private rests = new Map<THREE.Object3D, THREE.Quaternion>();
  private waiting = false;
  private shows = 0;
  private covers = 0;
  private readonly watcher: ResizeObserver;
  private readonly marks = new SeatMarks();
  private seats: Seat[] = [];
  private chosen: string | null = null;
  private from: { x: number; y: number } | null = null;
  private dragged: { part: "arrow" | "hand"; seat: Seat } | null = null;

  constructor(
    private readonly host: HTMLElement,
    private readonly hands: SeatHands,
  ) {
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.scene.background = new THREE.Color("#efe8da");
    const canvas = this.renderer.domElement;
    canvas.style.cssText = "display:block;width:100%;height:100%;touch-action:none";
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", "the prop; drag to walk round it");
    host.append(canvas);
    this.scene.add(new THREE.HemisphereLight("#fff8ec", "#a39b8f", 1.6));
    const sun = new THREE.DirectionalLight("#fff2dc", 2.2);
    sun.position.set(0.7, 1.4, 1);
    this.scene.add(sun, this.standing, this.floor);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener("change", () => this.redraw());
    this.standing.add(this.marks.group);
    canvas.addEventListener("pointerdown", (e) => this.down(e), { capture: true });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", (e) => this.up(e));
    this.watcher = new ResizeObserver(() => this.resize());
    this.watcher.observe(host);
    this.resize();
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (!w || !h) return;
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.redraw();
  }

  private redraw(): void {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      this.marks.turnTo(this.camera, this.host.clientHeight);
      this.renderer.render(this.scene, this.camera);
    });
  }

  /** Draw its seats, the chosen one lit; `offered` are only suggested. */
  showSeats(seats: Seat[], chosen: string | null, offered: Seat[]): void {
    [this.seats, this.chosen] = [seats, chosen];
    const look = (seat: Seat) => (seat.name === chosen ? ("lit" as const) : ("mine" as const));
    this.marks.show([
      ...seats.map((seat) => ({ frame: inWorld(seat, AT_HOME), look: look(seat) })),
      ...offered.map((seat) => ({ frame: inWorld(seat, AT_HOME), look: "quiet" as const })),
    ]);
    this.redraw();
  }

  private at(event: PointerEvent): { x: number; y: number } {
    const box = this.host.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  private onScreen(point: THREE.Vector3): { x: number; y: number } {
    const p = this.standing.localToWorld(point.clone()).project(this.camera);
    return { x: ((p.x + 1) / 2) * this.host.clientWidth, y: ((1 - p.y) / 2) * this.host.clientHeight };
  }

  /** The ray through a pixel, in the prop's own coordinates. */
  private ray({ x, y }: { x: number; y: number }): THREE.Ray {
    const caster = new THREE.Raycaster();
    const ndc = new THREE.Vector2((x / this.host.clientWidth) * 2 - 1, 1 - (y / this.host.clientHeight) * 2);
    caster.setFromCamera(ndc, this.camera);
    this.standing.updateMatrixWorld(true);
    return caster.ray.applyMatrix4(this.standing.matrixWorld.clone().invert());
  }

  /** The tip of the chosen seat's arrow or hand under a pixel. */
  private partAt(at: { x: number; y: number }): { part: "arrow" | "hand"; seat: Seat } | null {
    const number = this.seats.findIndex((s) => s.name === this.chosen);
    const seat = this.seats[number];
    if (!seat) return null;
    const radius = this.marks.radiusOf(number);
    const frame = inWorld(seat, AT_HOME);
    const tips = [
      ["arrow", frame.point.clone().addScaledVector(frame.facing, STEM * radius)],
      ["hand", frame.point.clone().addScaledVector(frame.clock, HAND * radius)],
    ] as const;
    for (const [part, tip] of tips) {
      const on = this.onScreen(tip);
      if (Math.hypot(on.x - at.x, on.y - at.y) < GRIP_PX) return { part, seat };
    }
    return null;
  }

  private down(event: PointerEvent): void {
    if (event.button !== 0) return;
    this.from = this.at(event);
    this.dragged = this.partAt(this.from);
    this.controls.enabled = this.dragged === null;
  }

  private move(event: PointerEvent): void {
    const at = this.at(event);
    if (!this.dragged) {
      this.renderer.domElement.style.cursor = this.partAt(at) ? "grab" : "default";
      return;
    }
    const seat = this.turnedTo(this.dragged, at);
    if (seat)
      this.showSeats(
        this.seats.map((s) => (s.name === seat.name ? seat : s)),
        this.chosen,
        [],
      );
  }

  /** The seat as its arrow or hand would be under a pixel. */
  private turnedTo(
    dragged: { part: "arrow" | "hand"; seat: Seat },
    at: { x: number; y: number },
  ): Seat | null {
    const { seat, part } = dragged;
    const frame = inWorld(seat, AT_HOME);
    const ray = this.ray(at);
    if (part === "hand") {
      const way = metOnPlane(ray, frame.point, frame.facing)?.sub(frame.point);
      if (!way || way.lengthSq() < 1e-12) return null;
      const side = frame.facing.clone().cross(frame.clock);
      return withClock(seat, (Math.atan2(way.dot(side), way.dot(frame.clock)) * 180) / Math.PI);
    }
    // On a ball round the seat that faces the eye.
    const eye = ray.origin.clone().sub(frame.point).normalize();
    const way = metOnPlane(ray, frame.point, eye)?.sub(frame.point);
    if (!way) return null;
    const radius = STEM * this.marks.radiusOf(this.seats.findIndex((s) => s.name === seat.name));
    const deep = Math.sqrt(Math.max(0, radius * radius - way.lengthSq()));
    return facing(seat, way.addScaledVector(eye, deep).normalize().toArray());
  }

  private up(event: PointerEvent): void {
    const { dragged, from } = this;
    this.dragged = this.from = null;
    this.controls.enabled = true;
    if (event.button !== 0 || !from) return;
    const at = this.at(event);
    if (dragged) {
      const seat = this.turnedTo(dragged, at);
      if (seat) this.hands.turned(seat);
      return;
    }
    if (Math.hypot(at.x - from.x, at.y - from.y) > PRESS_PX) return;
    const near = this.seats.find((seat) => {
      const on = this.onScreen(new THREE.Vector3(...seat.point));
      return Math.hypot(on.x - at.x, on.y - at.y) < GRIP_PX;
    });
    if (near) return this.hands.chosen(near.name);
    const ray = this.ray(at);
    const pixel = (2 * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.host.clientHeight);
    this.hands.pressed(ray.origin.toArray(), ray.direction.toArray(), pixel);
  }

  private async load(file: string): Promise<THREE.Group> {
    const response = await fetch(file);
    if (!response.ok) throw new Error(`the model could not be loaded (${response.status})`);
    return (await this.loader.parseAsync(await response.arrayBuffer(), "")).scene;
  }

  /** Show a model. One that is asked for later is not overtaken by one that comes late. */
  async show(file: string): Promise<void> {
    const mine = ++this.shows;
    const made = await this.load(file);
    if (mine !== this.shows) return letGo(made);
    if (this.model) {
      this.standing.remove(this.model);
      letGo(this.model);
    }
    this.model = made;
    this.rests = new Map();
    made.traverse((node) => this.rests.set(node, node.quaternion.clone()));
    this.standing.add(made);
    this.stand([0, 0, 0, 1]);
    this.look();
  }

  look(): void {
    const box = new THREE.Box3().setFromObject(this.standing);
    if (box.isEmpty()) return;
    const [eye, target] = lookAt(box, "corner", this.camera);
    this.camera.position.copy(eye);
    this.controls.target.copy(target);
    this.controls.update();
    this.redraw();
  }

  /** Turn it so, and set it on the floor. */
  stand(orientation: [number, number, number, number]): void {
    this.standing.quaternion.set(...orientation);
    this.standing.position.set(0, 0, 0);
    this.standing.updateMatrixWorld(true);
    const box = new THREE.Box3();
    if (this.model) box.setFromObject(this.model, true);
    if (!box.isEmpty()) this.standing.position.y = -box.min.y;
    this.layFloor(box);
    this.redraw();
  }

  /** A plain grid of 10 cm (or 1 m) squares under it. */
  private layFloor(box: THREE.Box3): void {
    emptied(this.floor);
    if (box.isEmpty()) return;
    const size = box.getSize(new THREE.Vector3());
    const wide = Math.max(size.x, size.z);
    const step = wide > 3 ? 1 : wide > 0.25 ? 0.1 : 0.01;
    const half = Math.ceil((0.9 * wide) / step) * step;
    const middle = box.getCenter(new THREE.Vector3());
    const points: THREE.Vector3[] = [];
    for (let at = -half; at <= half + 1e-9; at += step)
      points.push(
        new THREE.Vector3(middle.x + at, 0, middle.z - half),
        new THREE.Vector3(middle.x + at, 0, middle.z + half),
        new THREE.Vector3(middle.x - half, 0, middle.z + at),
        new THREE.Vector3(middle.x + half, 0, middle.z + at),
      );
    this.floor.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(points), RULE));
  }

  /** Draw a contact shape over the prop; null takes it away. */
  async cover(file: string | null): Promise<void> {
    const mine = ++this.covers;
    if (this.contact) {
      this.standing.remove(this.contact);
      letGo(this.contact);
    }
    this.contact = null;
    if (file) {
      const made = await this.load(file);
      if (mine !== this.covers) return letGo(made);
      made.traverse((node) => {
        if (!(node instanceof THREE.Mesh)) return;
        const mesh = node as THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>;
        mesh.material = mesh.material.clone();
        mesh.material.transparent = true;
        mesh.material.opacity = 0.34;
        mesh.material.depthWrite = false;
        mesh.material.side = THREE.DoubleSide;
        mesh.add(
          new THREE.LineSegments(
            new THREE.EdgesGeometry(mesh.geometry, 8),
            new THREE.LineBasicMaterial({ color: "#22303a", transparent: true, opacity: 0.5 }),
          ),
        );
      });
      this.contact = made;
      this.standing.add(made);
    }
    this.redraw();
  }

  /** Turn joints by name, from how the model came. */
  bend(turns: Turn[]): void {
    if (!this.model) return;
    this.rests.forEach((rest, node) => node.quaternion.copy(rest));
    for (const { joint, axis, degrees } of turns) {
      const node = this.model.getObjectByName(THREE.PropertyBinding.sanitizeNodeName(joint));
      node?.quaternion.multiply(
        new THREE.Quaternion().setFromAxisAngle(AXES[axis], THREE.MathUtils.degToRad(degrees)),
      );
    }
    this.redraw();
  }

  dispose(): void {
    this.watcher.disconnect();
    this.controls.dispose();
    [this.shows, this.covers] = [this.shows + 1, this.covers + 1];
    for (const model of [this.model, this.contact]) if (model) letGo(model);
    emptied(this.floor);
    this.renderer.dispose();
    this.renderer.forceContextLoss();
    this.renderer.domElement.remove();
  }
}
