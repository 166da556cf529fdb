import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { type PropDetail, client, wanted } from "../api/client";
import { askAgain } from "../api/askAgain";
import { inDegrees } from "../slip/figures";
import { ChoiceWord, NumberWord } from "../slip/words";
import { ActionButton } from "../ui/buttons";
import { HEADING } from "./heading";
import type { Turn } from "./PropView";

interface Props {
  detail: PropDetail;
  turns: Turn[];
  setTurns: (turns: Turn[]) => void;
}

/** Its joints, each turned by a figure; a pose that is kept is a prop of its own. */
export function Joints({ detail, turns, setTurns }: Props) {
  const { prop } = detail;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [poseName, setPoseName] = useState("");
  const pose = useMutation({
    mutationFn: () =>
      wanted<PropDetail>(
        client.POST("/api/props/{key}/poses", {
          params: { path: { key: prop.key } },
          body: { name: poseName.trim(), turns: turns.filter((t) => t.degrees !== 0) },
        }),
      ),
    onSuccess: async (made) => {
      await askAgain(queries, ["props"]);
      await askAgain(queries, ["bench", prop.key]);
      void navigate(`/bench/${made.prop.key}`);
    },
  });
  if (detail.joints.length === 0) return null;
  return (
    <>
      <h2 className={HEADING}>Joints</h2>
      <ul>
        {detail.joints.map((joint) => {
          const turn = turns.find((t) => t.joint === joint) ?? {
            joint,
            axis: "x" as const,
            degrees: 0,
          };
          const put = (some: Partial<Turn>) =>
            setTurns([...turns.filter((t) => t.joint !== joint), { ...turn, ...some }]);
          return (
            <li key={joint}>
              {joint} turned{" "}
              <NumberWord
                label={`angle of ${joint}`}
                value={turn.degrees}
                step={5}
                min={-180}
                max={180}
                {...inDegrees}
                onChange={(degrees) => put({ degrees })}
              />{" "}
              about its{" "}
              <ChoiceWord
                label={`axis of ${joint}`}
                value={turn.axis}
                onChange={(axis) => put({ axis })}
                choices={[
                  { value: "x", words: "x" },
                  { value: "y", words: "y" },
                  { value: "z", words: "z" },
                ]}
              />
            </li>
          );
        })}
      </ul>
      <form
        className="mt-2 flex items-baseline gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          pose.mutate();
        }}
      >
        <input
          aria-label="name of the pose"
          placeholder="name of the pose"
          value={poseName}
          onChange={(e) => setPoseName(e.target.value)}
          className="w-40 border-b border-ink bg-transparent outline-none placeholder:text-quiet"
        />
        <ActionButton
          onClick={() => pose.mutate()}
          disabled={!poseName.trim() || !turns.some((t) => t.degrees !== 0) || pose.isPending}
          why="Turn a joint and give the pose a name."
        >
          Keep this pose
        </ActionButton>
      </form>
    </>
  );
}
