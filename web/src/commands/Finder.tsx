/** The finder: anything that can be done, any prop, any piece, found by a few letters. */
import { useQuery } from "@tanstack/react-query";
import { Command, defaultFilter } from "cmdk";
import { useState } from "react";
import { Dialog } from "radix-ui";

import { client, wanted, type Piece, type Prop } from "../api/client";
import { useParts, useStage } from "../state";
import { IDLE } from "../state/tools";
import { choose } from "../trolley/choosing";
import { shownOf, useChosen } from "./chosen";
import { COMMANDS, type Desk } from "./table";

const MOST_PIECES = 400;
const ITEM =
  "flex cursor-pointer items-baseline gap-3 rounded-sm px-2 py-1 data-[selected=true]:bg-wash data-[disabled=true]:text-quiet";
const HEADING =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-[13px] [&_[cmdk-group-heading]]:text-quiet";

export function Finder({ desk }: { desk: () => Desk | null }) {
  const { finder, set } = useParts("finder", "set");
  return (
    <Dialog.Root open={finder} onOpenChange={(open) => set({ finder: open })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-30 w-[560px] max-w-[94vw] -translate-x-1/2 rounded-sm border border-edge bg-card shadow-lg"
        >
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Found desk={desk} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** What a piece is found by. */
const found = (piece: Piece) => `${piece.role === "bearer" ? "bearer" : "piece"} ${piece.name} ${piece.key}`;

function Found({ desk }: { desk: () => Desk | null }) {
  const { pieces, set, select, setVerb } = useParts("pieces", "set", "select", "setVerb");
  const { data } = useQuery({
    queryKey: ["props"],
    queryFn: () => wanted<Prop[]>(client.GET("/api/props")),
    staleTime: 60_000,
  });
  const then = (run: (desk: Desk) => void) => () => {
    set({ finder: false });
    const now = desk();
    if (now) run(now);
  };
  const [typed, setTyped] = useState("");
  const { chosen } = useChosen();
  // All are searched, and as many are listed as can be read.
  const listed = (role: Piece["role"]) =>
    [...pieces.values()]
      .filter((p) => p.role === role && (!typed || defaultFilter(found(p), typed) > 0))
      .slice(0, MOST_PIECES);
  return (
    <Command label="Find anything" loop>
      <Command.Input
        autoFocus
        value={typed}
        onValueChange={setTyped}
        placeholder="what to do, a prop, a piece"
        className="w-full border-b border-edge bg-transparent px-4 py-2.5 text-[16px] outline-none focus-visible:outline-none placeholder:text-quiet"
      />
      <Command.List className="max-h-[56vh] overflow-y-auto px-2 pb-2">
        <Command.Empty className="px-2 py-3 text-quiet">Nothing is called that.</Command.Empty>
        <Command.Group heading="do" className={HEADING}>
          {COMMANDS.filter((c) => !c.hidden).map((command) => {
            const why = command.lacking?.() ?? null;
            return (
              <Command.Item
                key={command.id}
                value={`do ${command.id} ${command.words}`}
                disabled={why !== null}
                onSelect={then(command.run)}
                className={ITEM}
              >
                <span className="min-w-0 flex-1">
                  {command.words}
                  {why && <span className="text-[13px]"> ({why})</span>}
                </span>
                <kbd className="figure text-[13px] text-quiet">{shownOf(command, chosen)}</kbd>
              </Command.Item>
            );
          })}
        </Command.Group>
        <Command.Group heading="set down a prop" className={HEADING}>
          {(data ?? [])
            .filter((p) => p.role === "prop")
            .map((prop) => (
              <Command.Item
                key={prop.key}
                value={`prop ${prop.name} ${prop.category} ${prop.tags.join(" ")} ${prop.key}`}
                onSelect={then(() => choose(prop))}
                className={ITEM}
              >
                <span className="flex-1">{prop.name}</span>
                <span className="text-[13px] text-quiet">{prop.category}</span>
              </Command.Item>
            ))}
        </Command.Group>
        <Command.Group heading="choose a bearer" className={HEADING}>
          {listed("bearer").map((piece) => (
            <Command.Item
              key={piece.key}
              value={found(piece)}
              onSelect={then(() => {
                setVerb(IDLE);
                select([piece.key]);
              })}
              className={ITEM}
            >
              {piece.name}
            </Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="look at a piece" className={HEADING}>
          {listed("prop").map((piece) => (
            <Command.Item
              key={piece.key}
              value={found(piece)}
              onSelect={then(({ view }) => {
                setVerb(IDLE);
                select([piece.key]);
                view.look("corner", [piece.key]);
              })}
              className={ITEM}
            >
              <span className="flex-1">{piece.name}</span>
              <span className="text-[13px] text-quiet">
                {useStage.getState().fits.get(piece.key)?.state ?? ""}
              </span>
            </Command.Item>
          ))}
        </Command.Group>
      </Command.List>
    </Command>
  );
}
