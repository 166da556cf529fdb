/** The joints of a jointed piece where it stands: each turned by a figure, named poses as one press; it is seated again each time. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import {
  type Change,
  type Piece,
  type Prop,
  type PropDetail,
  type Schemas,
  client,
  wanted,
} from "../../api/client";
import { inDegrees } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { carry } from "../../stage/making";
import { useParts, useStage } from "../../state";
import { QuietButton } from "../../ui/buttons";

type Turn = Schemas["TurnSchema"];
type Axis = Turn["axis"];
const AXIS_WORDS: Record<Axis, string> = { x: "forwards", y: "round", z: "sideways" };

/** Bend a piece; null where it was refused. */
export function pose(piece: string, turns: Turn[]): Promise<Change | null> {
  const { key } = useStage.getState();
  if (!key) return Promise.resolve(null);
  return carry(key, () =>
    wanted<Change>(
      client.POST("/api/sets/{key}/pieces/{piece}/pose", {
        params: { path: { key, piece } },
        body: { turns },
      }),
    ),
  );
}

/** The turns with one joint about one axis at so many degrees; none that turns nothing. */
export function withTurn(turns: Turn[], joint: string, axis: Axis, degrees: number): Turn[] {
  const others = turns.filter((t) => t.joint !== joint || t.axis !== axis);
  return degrees === 0 ? others : [...others, { joint, axis, degrees }];
}

export function Posing({ piece, prop }: { piece: Piece; prop: Prop }) {
  const root = prop.posed_from ?? prop.key;
  const [joint, setJoint] = useState(prop.joints[0] ?? "");
  const [axis, setAxis] = useState<Axis>("x");
  const { data } = useQuery({
    queryKey: ["bench", root],
    queryFn: () => wanted<PropDetail>(client.GET("/api/props/{key}", { params: { path: { key: root } } })),
    staleTime: 60_000,
  });
  const { turns } = prop;
  const { pulling, set } = useParts("pulling", "set");
  const degrees = turns.find((t) => t.joint === joint && t.axis === axis)?.degrees ?? 0;
  const poses = data?.poses ?? [];
  return (
    <div className="mt-1.5 border-t border-rule pt-1.5" role="group" aria-label="Joints">
      <p>
        Its{" "}
        <ChoiceWord
          label="which joint"
          value={joint}
          onChange={setJoint}
          choices={prop.joints.map((name) => ({ value: name, words: name }))}
        />{" "}
        is turned{" "}
        <NumberWord
          label={`angle of ${joint}`}
          value={degrees}
          step={5}
          min={-180}
          max={180}
          {...inDegrees}
          late
          onChange={(v) => void pose(piece.key, withTurn(turns, joint, axis, v))}
        />{" "}
        <ChoiceWord
          label="which way it turns"
          value={axis}
          onChange={setAxis}
          choices={(["x", "y", "z"] as const).map((value) => ({ value, words: AXIS_WORDS[value] }))}
        />
        .
      </p>
      <p className="flex flex-wrap gap-x-3">
        <QuietButton onClick={() => set({ pulling: !pulling })}>
          {pulling ? "Let the limbs be" : "Pull a limb"}
        </QuietButton>
        <QuietButton
          onClick={() => void pose(piece.key, [])}
          disabled={!turns.length}
          why="It stands as it came."
        >
          As it came
        </QuietButton>
        {poses.map((p) => (
          <QuietButton key={p.key} onClick={() => void pose(piece.key, p.turns)}>
            {p.name.replace(`${data?.prop.name}, `, "")}
          </QuietButton>
        ))}
      </p>
    </div>
  );
}
