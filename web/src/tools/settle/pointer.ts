/** The pointer while there is a job: pieces that fall are grabbed by hand; of an outcome, what is to be adopted is chosen. */
import type { Outcome, Triple } from "../../api/client";
import { useStage } from "../../state";
import { sweeping } from "../sweeping";
import type { At, Gesture, PointerTool, StageParts } from "../tool";

export class GravityPointer implements PointerTool {
  constructor(private readonly stage: StageParts) {}

  hover(at: At): void {
    const { view } = this.stage;
    const key = view.aim.pick(at.x, at.y)?.key ?? null;
    const loose = key !== null && useStage.getState().pieces.get(key)?.role === "prop";
    useStage.getState().point(loose ? key : null);
    view.canvas.style.cursor = loose ? "pointer" : "default";
  }

  leave(): void {
    this.stage.view.canvas.style.cursor = "default";
  }

  press(at: At, event: PointerEvent): Gesture | null {
    const { job, trial } = useStage.getState();
    if (job?.state === "running") return this.grab(at, job.key);
    const outcome = trial === null ? undefined : job?.outcomes[trial];
    return outcome ? this.choosing(at, outcome, event.shiftKey) : null;
  }

  /** Take hold of a piece that gravity acts on; when it is one of those selected, of all of them. */
  private grab(at: At, job: string): Gesture | null {
    const { view, line } = this.stage;
    const { settle, selected, falling } = useStage.getState();
    const hit = settle.hand !== "no" ? view.aim.pick(at.x, at.y) : null;
    const frame = hit && falling.has(hit.key) ? view.pieces.frame(hit.key) : null;
    if (!hit || !frame) return null;
    const others = selected.includes(hit.key) ? selected.filter((k) => k !== hit.key && falling.has(k)) : [];
    const [x, y, z] = frame.matrix.elements.slice(12, 15) as Triple;
    const grip = [x - hit.point.x, y - hit.point.y, z - hit.point.z] as const;
    const strength = settle.hand === "soft" ? "soft" : "firm";
    const letGo = () => {
      line.pull(job, [], null, strength);
      view.canvas.style.cursor = "default";
    };
    view.canvas.style.cursor = "grabbing";
    return {
      move: (now) => {
        const away = view.camera.position.clone().sub(view.controls.target).normalize();
        const to = view.aim.onPlane(now.x, now.y, hit.point.toArray(), away.toArray());
        if (to)
          line.pull(job, [hit.key, ...others], [to[0] + grip[0], to[1] + grip[1], to[2] + grip[2]], strength);
      },
      up: letGo,
      cancel: letGo,
    };
  }

  /** Piece by piece, or by a sweep. */
  private choosing(from: At, outcome: Outcome, more: boolean): Gesture {
    const { view, beside } = this.stage;
    return sweeping(beside, from, (at, box) => {
      const { selected, select } = useStage.getState();
      const lying = outcome.poses.map((p) => p.key);
      const hit = box ? undefined : view.aim.pick(at.x, at.y)?.key;
      const found = box
        ? view.aim.within(lying, box.x, box.y, box.x + box.width, box.y + box.height)
        : lying.filter((k) => k === hit);
      select(more ? [...new Set([...selected, ...found])] : found);
    });
  }
}
