/** A settling as it is seen: frames while it runs, then the outcome that is looked at. Nothing of it is on the set until it
 * is adopted. */
import * as THREE from "three";

import type { Job, Outcome, Piece, Pose } from "../api/client";
import type { Cast } from "../api/live";
import { loadModel } from "../drawing/models";
import type { Layer } from "../stage/layers";
import type { StageView } from "../stage/view";
import { useStage } from "../state";

const PICTURE = [232, 148] as const;
/** Milliseconds from the last frame into the exact end: the finish moves things by little, and is not to be seen as a jump. */
const GLIDE_MS = 350;
const NOWHERE: ReadonlyMap<string, Pose> = new Map();

export class Fall {
  /** The job that falls here, by key. Frames and casts of any other are passed over. */
  private job = "";
  private keys: string[] = [];
  private starts: THREE.Quaternion[] = [];
  private scales: Pose["scale"][] = [];
  private guests = new Map<string, Piece>();
  private files: Record<string, string> = {};
  private pictures = new Map<Outcome, Promise<string>>();
  /** The last frame, until its outcome is looked at. */
  private last: ReadonlyMap<string, Pose> = new Map();
  private gliding = 0;
  private picturing: Promise<string> = Promise.resolve("");

  private readonly off: () => void;

  private readonly layer: Layer;

  constructor(private readonly view: StageView) {
    this.layer = view.layers.open("job");
    this.off = useStage.subscribe((now, before) => {
      if (now.job !== before.job || now.trial !== before.trial) this.follow(now.job, now.trial);
    });
  }

  dispose(): void {
    this.off();
    this.gliding += 1;
    this.layer.close();
  }

  /** The job in hand is another one, goes on, or has ended: show what is true now. */
  private follow(job: Job | null, trial: number | null): void {
    if (job?.state === "running") {
      if (job.key !== this.job) this.begin(job.key);
      return;
    }
    const outcome = trial === null ? undefined : job?.outcomes[trial];
    if (outcome) void this.look(outcome, job!.outcomes.length === 1 && job!.key === this.job);
    else this.clear();
  }

  private begin(job: string): void {
    this.clear();
    this.job = job;
    [this.keys, this.starts, this.scales] = [[], [], []];
    this.guests.clear();
  }

  private join(key: string, pose: Pose): void {
    this.keys.push(key);
    this.starts.push(new THREE.Quaternion(...pose.orientation));
    this.scales.push(pose.scale);
  }

  /** Pieces that fall, are poured, or that others break into; their rows follow in the frames. */
  cast(news: Cast): void {
    const { job, over, set } = useStage.getState();
    if (over.has(news.job) || (job && job.key !== news.job && job.state === "running")) return;
    if (news.job !== this.job) this.begin(news.job);
    // A page that came late gets them all at once, and knows some of them already or misses some before them.
    if (news.first > this.keys.length) return;
    const known = this.keys.length - news.first;
    news.keys.slice(known).forEach((key, i) => this.join(key, news.starts[known + i]!));
    for (const piece of news.joined) this.guests.set(piece.key, piece);
    Object.assign(this.files, news.files);
    set({ falling: new Set(this.keys) });
    void this.visit(new Map(this.guests), new Set(news.gone));
  }

  frame(job: string, rows: Float32Array): void {
    const now = useStage.getState().job;
    if (job !== this.job || (now && (now.key !== job || now.state !== "running"))) return;
    const poses = new Map<string, Pose>();
    const turn = new THREE.Quaternion();
    for (let i = 0; i < this.keys.length && 7 * i + 6 < rows.length; i += 1) {
      const at = 7 * i;
      turn.set(rows[at + 3]!, rows[at + 4]!, rows[at + 5]!, rows[at + 6]!).multiply(this.starts[i]!);
      poses.set(this.keys[i]!, {
        position: [rows[at]!, rows[at + 1]!, rows[at + 2]!],
        orientation: [turn.x, turn.y, turn.z, turn.w],
        scale: this.scales[i]!,
      });
    }
    this.last = poses;
    this.show(poses);
  }

  /** Look at an outcome. `seen`: it was watched as it fell, and goes on from the last frame. */
  private look(outcome: Outcome, seen: boolean): Promise<void> {
    this.gliding += 1;
    Object.assign(this.files, outcome.files);
    const there = this.visit(new Map(outcome.born.map((piece) => [piece.key, piece])), new Set(outcome.gone));
    const end = new Map(outcome.poses.map(({ key, pose }) => [key, pose]));
    const from = this.last;
    this.last = NOWHERE;
    if (from.size > 0 && seen) this.glide(from, end);
    else this.show(end);
    return there;
  }

  private glide(from: ReadonlyMap<string, Pose>, to: ReadonlyMap<string, Pose>): void {
    if (matchMedia("(prefers-reduced-motion: reduce)").matches) return this.show(to);
    const mine = ++this.gliding;
    const began = performance.now();
    const step = () => {
      if (mine !== this.gliding) return;
      const share = Math.min(1, (performance.now() - began) / GLIDE_MS);
      this.show(new Map([...to].map(([key, end]) => [key, between(from.get(key) ?? end, end, share)])));
      if (share < 1) requestAnimationFrame(step);
    };
    step();
  }

  /** A small picture of an outcome, framed on what fell; taken once. */
  picture(outcome: Outcome): Promise<string> {
    let found = this.pictures.get(outcome);
    if (!found) {
      // One after the other: each is on the stage while its picture is taken.
      found = this.picturing.catch(() => "").then(() => this.taken(outcome));
      this.picturing = found;
      this.pictures.set(outcome, found);
    }
    return found;
  }

  private async taken(outcome: Outcome): Promise<string> {
    const files = Object.values(outcome.files);
    // What it broke into is seen on it: all models come first, so that it is on the stage only for a moment.
    await Promise.allSettled(files.map((file) => loadModel(file)));
    const there = this.look(outcome, false);
    if (files.length) await there;
    const picture = this.layer.isOpen
      ? this.view.pictures.pictureOf(
          outcome.poses.map((p) => p.key),
          ...PICTURE,
          // A bay is seen from where it is open, as it is looked at now.
          outcome.recipe !== null && outcome.recipe !== undefined,
        )
      : "";
    const { job, trial } = useStage.getState();
    this.follow(job, trial);
    return picture;
  }

  private visit(guests: ReadonlyMap<string, Piece>, gone: ReadonlySet<string>): Promise<void> {
    return this.layer.show({ guests, files: new Map(Object.entries(this.files)), absent: gone });
  }

  private show(poses: ReadonlyMap<string, Pose>): void {
    void this.layer.show({ poses });
  }

  private clear(): void {
    this.gliding += 1;
    this.last = NOWHERE;
    this.layer.clear();
  }
}

/** On the straight way from one pose to another; exactly the second at the end. */
function between(from: Pose, to: Pose, share: number): Pose {
  if (share >= 1) return to;
  const position = new THREE.Vector3(...from.position)
    .lerp(new THREE.Vector3(...to.position), share)
    .toArray();
  const turn = new THREE.Quaternion(...from.orientation).slerp(
    new THREE.Quaternion(...to.orientation),
    share,
  );
  return { position, orientation: [turn.x, turn.y, turn.z, turn.w], scale: to.scale };
}
