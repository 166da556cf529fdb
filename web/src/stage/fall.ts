/** A settling as it is seen: frames while it runs, then the outcome that is looked at. Nothing of it is on the set until it
 * is adopted. */
import * as THREE from "three";

import { type Job, type Piece, type Pose, client, wanted } from "../api/client";
import type { CastNews, JobNews } from "../api/live";
import { useStage } from "./store";
import type { StageView } from "./view";

const PICTURE = [232, 148] as const;
/** Milliseconds from the last frame into the exact end: the finish moves things by little, and is not to be seen as a jump. */
const GLIDE_MS = 350;
const NOWHERE: ReadonlyMap<string, Pose> = new Map();
const NOBODY: ReadonlyMap<string, Piece> = new Map();

export class Fall {
  private keys: string[] = [];
  private starts: THREE.Quaternion[] = [];
  private scales: Pose["scale"][] = [];
  private guests = new Map<string, Piece>();
  private files: Record<string, string> = {};
  private shown = new Set<string>();
  private pictures = new Map<number, string>();
  private visited = false;
  /** The last frame, until its outcome is looked at. */
  private last: ReadonlyMap<string, Pose> = new Map();
  private gliding = 0;

  constructor(private readonly view: StageView) {}

  news(news: JobNews): void {
    if (news.keys && news.starts) {
      [this.keys, this.starts, this.scales] = [[], [], []];
      this.guests.clear();
      news.starts.forEach((pose, i) => this.follow(news.keys![i]!, pose));
    }
    if (news.state === "running") {
      // News of progress leave out what was said at the beginning.
      useStage.getState().set({ job: { ...news, keys: this.keys }, trial: null });
      return;
    }
    useStage.getState().set({ ended: news.key });
    // Discarded meanwhile; but what fails at once may be told before the answer to the one who began it.
    if (useStage.getState().job === null && news.state !== "failed") return this.clear();
    this.pictures.clear();
    if (news.state === "done") {
      useStage.getState().set({ job: news, trial: 0 });
    } else {
      this.clear();
      useStage.getState().set({
        job: null,
        trial: null,
        lacking: news.lacking,
        note: news.lacking.length > 0 ? null : (news.problem ?? "stopped; the set is as it was"),
      });
    }
  }

  /** After the line was lost: what has become of the job meanwhile. A server that was away has forgotten it. */
  async askAgain(): Promise<void> {
    const { key, job } = useStage.getState();
    if (!key || job?.state !== "running") return;
    const lost: Job = { ...job, state: "stopped", problem: "the server was away; the set is as it was" };
    const now = await wanted<Job>(
      client.GET("/api/sets/{key}/jobs/{job}", { params: { path: { key, job: job.key } } }),
    ).catch(() => lost);
    if (now.state !== "running" && useStage.getState().job?.key === job.key) this.news(now);
  }

  private follow(key: string, pose: Pose): void {
    this.keys.push(key);
    this.starts.push(new THREE.Quaternion(...pose.orientation));
    this.scales.push(pose.scale);
  }

  /** Pieces that are poured, or that others break into; their rows follow in the frames. */
  cast(news: CastNews): void {
    if (useStage.getState().job?.state !== "running") return;
    for (const piece of news.joined) {
      this.follow(piece.key, piece.pose);
      this.guests.set(piece.key, piece);
    }
    Object.assign(this.files, news.files);
    this.visit(this.guests, new Set(news.gone));
  }

  frame(rows: Float32Array): void {
    if (useStage.getState().job?.state !== "running") return;
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

  /** Look at an outcome; null shows the set as it is. */
  look(trial: number | null): void {
    const { job } = useStage.getState();
    if (job?.state === "running") return;
    const outcome = trial === null ? undefined : job?.outcomes[trial];
    if (!outcome) return this.clear();
    this.gliding += 1;
    Object.assign(this.files, outcome.files);
    this.visit(new Map(outcome.born.map((piece) => [piece.key, piece])), new Set(outcome.gone));
    const end = new Map(outcome.poses.map(({ key, pose }) => [key, pose]));
    const from = this.last;
    this.last = NOWHERE;
    // Of several trials none was seen falling.
    if (from.size > 0 && job?.outcomes.length === 1) this.glide(from, end);
    else this.show(end);
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

  /** A small picture of an outcome, taken once. */
  picture(trial: number): string {
    let found = this.pictures.get(trial);
    if (!found) {
      const before = useStage.getState().trial;
      this.look(trial);
      found = this.view.snapshot(...PICTURE);
      this.pictures.set(trial, found);
      this.look(before);
    }
    return found;
  }

  private visit(guests: ReadonlyMap<string, Piece>, gone: ReadonlySet<string>): void {
    if (!guests.size && !gone.size && !this.visited) return;
    this.visited = guests.size > 0 || gone.size > 0;
    void this.view.pieces.visit(guests, this.files, gone).catch((problem: Error) => {
      useStage.getState().set({ note: problem.message });
    });
  }

  private show(poses: ReadonlyMap<string, Pose>): void {
    const all = new Map<string, Pose | null>(poses);
    for (const key of this.shown) if (!all.has(key)) all.set(key, null);
    this.view.pieces.overrideAll(all);
    this.shown = new Set(poses.keys());
  }

  private clear(): void {
    this.gliding += 1;
    this.last = NOWHERE;
    this.visit(NOBODY, new Set());
    if (this.shown.size) this.show(new Map());
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
