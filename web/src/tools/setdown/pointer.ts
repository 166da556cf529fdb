/** Set down: while only pointing, the exact seated pose is a ghost; press, drag to aim, wheel to size, release to leave it. */
import type { Triple } from "../../api/client";
import type { Pointed, Question, SlipSettings } from "../../api/live";
import { chance } from "../../chance";
import { inWords } from "../../fit/units";
import { make } from "../../stage/making";
import { selectingMade } from "../../stage/selectingMade";
import type { Layer } from "../../stage/layers";
import { useStage } from "../../state";
import type { At, Gesture, PointerTool, StageParts } from "../tool";
import { far } from "../tool";

const SIZE_STEP = 1.05;
const [SMALLEST, LARGEST] = [0.05, 20];

/** How the next copy is set down, by the slip and by chance. */
class NextCopy {
  private turn = chance() * 2 * Math.PI;
  private proportions: Triple = [1, 1, 1];

  settings(size: number, aim: Triple | null): SlipSettings {
    const { slip } = useStage.getState();
    const turn =
      (slip.turn === null ? this.turn : (slip.turn * Math.PI) / 180) + (slip.front * Math.PI) / 180;
    const { side, lean, follow, sink, standOff: stand_off } = slip;
    const each: Triple = [size * this.proportions[0], size * this.proportions[1], size * this.proportions[2]];
    return { side, lean, follow, turn, size: slip.vary ? each : size, sink, stand_off, aim };
  }

  /** What the next copy takes from chance: its turn, and a little of its size and proportions. */
  vary(): void {
    const { next, vary } = useStage.getState().slip;
    if (next === "varied") this.turn = chance() * 2 * Math.PI;
    const around = () => 1 + vary * (2 * chance() - 1);
    const whole = around();
    this.proportions = [whole * (1 + (around() - 1) / 2), whole, whole * (1 + (around() - 1) / 2)];
  }
}

export class SetDownPointer implements PointerTool {
  private readonly copy = new NextCopy();
  private answer: Pointed | null = null;
  /** How many presses wait for the server's answer, and the end of the last of them. */
  private leavings = 0;
  private leaving: Promise<void> = Promise.resolve();
  /** The pointer has not moved since a piece was left under it: no ghost may cover what was just done. */
  private justLeft = false;

  private readonly layer: Layer;

  constructor(private readonly stage: StageParts) {
    this.layer = stage.view.layers.open("tool");
  }

  hover(at: At): void {
    this.justLeft = false;
    void this.point(this.stage.view.aim.ray(at.x, at.y), useStage.getState().slip.size, null);
  }

  again(at: At): void {
    if (!this.justLeft)
      void this.point(this.stage.view.aim.ray(at.x, at.y), useStage.getState().slip.size, null);
  }

  leave(): void {
    this.layer.clear();
  }

  press(at: At): Gesture {
    const { view } = this.stage;
    const ray = view.aim.ray(at.x, at.y);
    let size = useStage.getState().slip.size;
    let aim: Triple | null = null;
    this.justLeft = false;
    void this.point(ray, size, null);
    return {
      move: (now) => {
        if (far(at, now) && this.answer) aim = view.aim.onPlane(now.x, now.y, this.answer.touch, [0, 1, 0]);
        void this.point(ray, size, aim);
      },
      wheel: (event) => {
        size = Math.min(LARGEST, Math.max(SMALLEST, event.deltaY < 0 ? size * SIZE_STEP : size / SIZE_STEP));
        void this.point(ray, size, aim);
      },
      up: () => void this.leaveIt(ray, size, aim),
      cancel: () => this.leave(),
    };
  }

  private async point(ray: Question["ray"], size: number, aim: Triple | null): Promise<void> {
    const { prop } = useStage.getState().slip;
    if (!prop || this.leavings > 0) return;
    const answer = await this.layer.latest(
      this.stage.line.ask({ ray, prop, slip: this.copy.settings(size, aim) }),
    );
    if (answer === undefined || useStage.getState().slip.prop !== prop) return;
    this.answer = answer;
    const file = useStage.getState().props.get(prop)?.file;
    if (!answer || !file) {
      this.layer.clear();
      useStage.getState().set({ note: null });
      return;
    }
    await this.showGhost(file, answer);
  }

  private async showGhost(file: string, answer: Pointed): Promise<void> {
    const clash = answer.clashes[0];
    const words = answer.problem ?? (clash ? `${inWords(clash.depth)} into ${clash.name}` : null);
    const ghost = { file, pose: answer.pose, clashing: words !== null, label: words, at: answer.touch };
    // The model may take its time to come.
    const there = await this.layer.latest(this.layer.show({ ghost }).then(() => true));
    if (!there) return;
    const on = useStage.getState().pieces.get(answer.on)?.name;
    useStage.getState().set({ note: words ?? `touches ${on} at 0.0 mm` });
  }

  /** Set the prop down where it was pressed, exactly as the server seats it. */
  private async leaveIt(ray: Question["ray"], size: number, aim: Triple | null): Promise<void> {
    const { prop } = useStage.getState().slip;
    if (!prop) return;
    const select = selectingMade();
    const slip = this.copy.settings(size, aim);
    this.layer.overtake();
    this.leavings += 1;
    // One after another, and no question of the ghost in between.
    const turn = this.leaving.then(() => this.stage.line.askForPress({ ray, prop, slip }));
    this.leaving = turn.then(() => void (this.leavings -= 1));
    const answer = await turn;
    if (!answer) {
      const away = useStage.getState().line !== "joined";
      useStage.getState().set({
        note: away
          ? "the server is away, and nothing was set down; press again when it is back"
          : "nothing is under the pointer to set it down on",
      });
      return;
    }
    this.copy.vary();
    this.justLeft = true;
    this.layer.clear();
    useStage.getState().set({ note: null });
    const change = await make({
      kind: "set_down",
      prop,
      pose: answer.pose,
      direction: answer.direction,
      sink: slip.sink ?? 0,
      stand_off: slip.stand_off ?? 0,
    });
    const made = change?.deltas[0]?.key;
    if (made) select([made]);
  }

  /** For those who work by keys: set the prop down on what is in the middle of the view. */
  inTheMiddle(): void {
    const { clientWidth, clientHeight } = this.stage.view.canvas;
    const ray = this.stage.view.aim.ray(clientWidth / 2, clientHeight / 2);
    void this.leaveIt(ray, useStage.getState().slip.size, null);
  }
}
