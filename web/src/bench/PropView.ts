/** One prop large: the true mesh on a floor, how it would stand, its contact shape over it, its joints turned. */
import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

import { lookAt } from "../stage/looks";

export interface Turn {
  joint: string;
  axis: "x" | "y" | "z";
  degrees: number;
}

const AXES = { x: new THREE.Vector3(1, 0, 0), y: new THREE.Vector3(0, 1, 0), z: new THREE.Vector3(0, 0, 1) };
const RULE = new THREE.LineBasicMaterial({ color: "#b9ab93" });

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
  private readonly watcher: ResizeObserver;

  constructor(private readonly host: HTMLElement) {
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
      this.renderer.render(this.scene, this.camera);
    });
  }

  private async load(file: string): Promise<THREE.Group> {
    const response = await fetch(file);
    if (!response.ok) throw new Error(`the model could not be loaded (${response.status})`);
    return (await this.loader.parseAsync(await response.arrayBuffer(), "")).scene;
  }

  async show(file: string): Promise<void> {
    const made = await this.load(file);
    if (this.model) this.standing.remove(this.model);
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
    this.floor.clear();
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
    if (this.contact) this.standing.remove(this.contact);
    this.contact = null;
    if (file) {
      const made = await this.load(file);
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
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }
}
