/** A limb in the hand: it turns about its joint as the pointer goes round it on the screen, and is bent when it is let go. */
import * as THREE from "three";

import { type PropDetail, type Schemas, client, wanted } from "../../api/client";
import type { Layer } from "../../stage/layers";
import { useStage } from "../../state";
import type { At, Gesture, StageParts } from "../tool";
import { pose, withTurn } from "./Posing";
import { BentFigure } from "./bentFigure";

type Limb = Schemas["LimbSchema"];
type Turn = Schemas["TurnSchema"];
const AXES = ["x", "y", "z"] as const;

/** Degrees that the pointer went round a place on the screen, anticlockwise. */
export function turnedBy(pivot: At, from: At, to: At): number {
  const angle = (at: At) => Math.atan2(pivot.y - at.y, at.x - pivot.x);
  const degrees = ((angle(to) - angle(from)) * 180) / Math.PI;
  return ((((degrees + 180) % 360) + 360) % 360) - 180;
}

/** The axis of a joint that looks most at the eye or away from it, and which of the two. */
export function axisToward(
  limb: Pick<Limb, "axes">,
  toEye: THREE.Vector3,
): { axis: "x" | "y" | "z"; sign: 1 | -1 } {
  const looks = limb.axes.map((axis) => new THREE.Vector3(...axis).dot(toEye));
  const most = looks.reduce((best, look, i) => (Math.abs(look) > Math.abs(looks[best]!) ? i : best), 0);
  return { axis: AXES[most]!, sign: looks[most]! < 0 ? -1 : 1 };
}

export class LimbPull implements Gesture {
  private limb: Limb | null = null;
  private at: At;
  private over = false;
  private figure: BentFigure | null = null;
  private readonly layer: Layer;

  constructor(
    private readonly piece: string,
    private readonly from: At,
    point: THREE.Vector3,
    private readonly stage: StageParts,
  ) {
    this.at = from;
    this.layer = stage.view.layers.open("drag");
    const { key } = useStage.getState();
    const [x, y, z] = point.toArray();
    if (!key) return;
    void this.draw();
    void wanted<Limb>(
      client.GET("/api/sets/{key}/pieces/{piece}/limb", {
        params: { path: { key, piece }, query: { x, y, z } },
      }),
    ).then(
      (limb) => {
        this.limb = limb;
        this.showTurn();
      },
      (problem: Error) => useStage.getState().set({ note: problem.message }),
    );
  }

  /** The figure itself follows the pointer; until it is there, or where it cannot be had, the figures beside the pointer do. */
  private async draw(): Promise<void> {
    const prop = this.prop();
    if (!prop) return;
    const root = prop.posed_from ?? prop.key;
    try {
      const { file } = (
        await wanted<PropDetail>(client.GET("/api/props/{key}", { params: { path: { key: root } } }))
      ).prop;
      const figure = await BentFigure.of(file);
      if (this.over) return figure.dispose();
      this.figure = figure;
      this.show();
    } catch (problem) {
      if (!this.over) useStage.getState().set({ note: (problem as Error).message });
    }
  }

  private prop() {
    const { pieces, props } = useStage.getState();
    return props.get(pieces.get(this.piece)?.prop ?? "");
  }

  /** The joints as they would be turned. */
  private turns(): Turn[] {
    const turn = this.turn();
    const now = this.prop()?.turns ?? [];
    return turn ? withTurn(now, turn.joint, turn.axis, turn.degrees) : now;
  }

  private show(): void {
    const piece = useStage.getState().pieces.get(this.piece);
    if (!this.figure || !piece) return;
    this.figure.bend(this.turns());
    const standIn = { object: this.figure.group, pose: piece.pose };
    void this.layer.show({ standIns: new Map([[this.piece, standIn]]) });
  }

  private end(): void {
    this.layer.close();
    this.figure?.dispose();
    this.figure = null;
  }

  /** What it would be turned to, in whole degrees; null while it is not known which joint it is. */
  private turn(): { joint: string; axis: "x" | "y" | "z"; degrees: number } | null {
    const { limb } = this;
    const prop = this.prop();
    if (!limb?.joint || !prop) return null;
    const { view } = this.stage;
    const toEye = view.camera.position
      .clone()
      .sub(new THREE.Vector3(...limb.pivot))
      .normalize();
    const { axis, sign } = axisToward(limb, toEye);
    const before = prop.turns.find((t) => t.joint === limb.joint && t.axis === axis)?.degrees ?? 0;
    const by = Math.round(sign * turnedBy(view.aim.onScreen(limb.pivot), this.from, this.at));
    return { joint: limb.joint, axis, degrees: Math.max(-180, Math.min(180, before + by)) };
  }

  private showTurn(): void {
    const turn = this.turn();
    if (this.over) return;
    this.stage.beside.figures(this.at, turn ? `${turn.joint} ${turn.degrees}°` : "");
    this.show();
  }

  move(at: At): void {
    this.at = at;
    this.showTurn();
  }

  up(at: At): void {
    this.at = at;
    this.over = true;
    if (!this.turn()) return this.end();
    // It is drawn so until the piece itself stands so, seated again.
    void pose(this.piece, this.turns()).finally(() => this.end());
  }

  cancel(): void {
    this.over = true;
    this.end();
    this.stage.beside.nothing();
  }
}
