/** Its seats: pressed onto the model, suggested, and edited one by one. */
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";

import { type PropDetail, type Triple, client, wanted } from "../api/client";
import type { Seat } from "../seats/frames";
import { inCount, inDegrees, inLength } from "../slip/figures";
import { NumberWord } from "../slip/words";
import { QuietButton } from "../ui/buttons";
import { HEADING } from "./heading";
import { freshName, mirrored, repeated, reversed, withClock } from "./seatEdits";

const SHOWN_FIRST = 8;

interface Props {
  detail: PropDetail;
  seats: Seat[];
  chosen: string | null;
  choose: (name: string | null) => void;
  /** Keep these seats. */
  keep: (seats: Seat[]) => void;
  suggested: Seat[];
  setSuggested: (seats: Seat[]) => void;
}

export function Seats({ detail, seats, chosen, choose, keep, suggested, setSuggested }: Props) {
  const { prop } = detail;
  const [times, setTimes] = useState(3);
  const suggest = useMutation({
    mutationFn: () =>
      wanted<Seat[]>(client.GET("/api/props/{key}/seats", { params: { path: { key: prop.key } } })),
    onSuccess: (found) => {
      setSuggested(found.slice(0, SHOWN_FIRST));
      if (!found.length) toast("Nothing on it looks like a seat; press on the model to set one.");
    },
  });
  const now = seats.find((s) => s.name === chosen);
  const editor = useRef<HTMLDivElement>(null);
  // A seat that is pressed on the model is edited here, however far down that stands.
  useEffect(() => editor.current?.scrollIntoView({ block: "nearest" }), [chosen]);
  const put = (after: Seat, name = now?.name) => keep(seats.map((s) => (s.name === name ? after : s)));
  const add = (more: Seat[]) => {
    const all = [...seats];
    for (const seat of more) all.push({ ...seat, name: freshName(seat.name, all) });
    keep(all);
    choose(all.at(-1)!.name);
  };
  const middle: Triple = detail.centre;
  return (
    <section aria-label="Seats">
      <h2 className={HEADING}>Seats</h2>
      <p className="text-[14px] text-quiet">
        Press on the model: a seat stands there, square to the face, edge or corner. Drag its arrow to face it
        elsewhere, its hand to turn 12 o’clock.
      </p>
      <ul className="mt-1 grid grid-cols-2 gap-x-2">
        {seats.map((seat) => (
          <li key={seat.name}>
            <button
              type="button"
              aria-pressed={seat.name === chosen}
              onClick={() => choose(seat.name === chosen ? null : seat.name)}
              className={`w-full truncate rounded-sm px-1.5 text-left ${seat.name === chosen ? "bg-wash font-semibold" : "hover:bg-wash"}`}
            >
              {seat.name}
              {seat.label && <span className="text-quiet"> · {seat.label}</span>}
            </button>
          </li>
        ))}
      </ul>
      {now && (
        <div ref={editor} className="mt-1.5 rounded-sm border border-rule bg-card px-2.5 py-1.5">
          <p className="flex flex-wrap items-baseline gap-x-2">
            <label className="flex items-baseline gap-1">
              named
              <input
                key={now.name}
                defaultValue={now.name}
                maxLength={80}
                aria-label="name of the seat"
                onBlur={(e) => {
                  const name = e.target.value.trim();
                  if (!name || name === now.name) return;
                  if (seats.some((s) => s.name === name))
                    return void toast.error(`Another seat is named “${name}”.`);
                  put({ ...now, name });
                  choose(name);
                }}
                className="w-28 border-b border-ink bg-transparent outline-none"
              />
            </label>
            <label className="flex items-baseline gap-1">
              goes with
              <input
                key={`${now.name} ${now.label}`}
                defaultValue={now.label}
                maxLength={80}
                placeholder="any"
                aria-label="label of the seat"
                onBlur={(e) =>
                  e.target.value.trim() !== now.label && put({ ...now, label: e.target.value.trim() })
                }
                className="w-20 border-b border-ink bg-transparent outline-none placeholder:text-quiet"
              />
            </label>
          </p>
          <p>
            At{" "}
            {(["across", "up", "along"] as const).map((axis, i) => (
              <span key={axis}>
                <NumberWord
                  label={`place ${axis}`}
                  value={now.point[i]!}
                  {...inLength}
                  min={-100}
                  max={100}
                  late
                  onChange={(v) =>
                    put({ ...now, point: now.point.map((p, k) => (k === i ? v : p)) as Triple })
                  }
                />{" "}
                {axis}
                {i < 2 ? ", " : "; "}
              </span>
            ))}
            turned in steps of{" "}
            <NumberWord
              label="turn step"
              value={now.step_deg ?? 0}
              step={15}
              min={0}
              max={360}
              {...inDegrees}
              late
              onChange={(v) => put({ ...now, step_deg: v })}
            />
            {!now.step_deg && " (any angle)"}, takes{" "}
            <button type="button" className="word" onClick={() => put({ ...now, many: !now.many })}>
              {now.many ? "many guests" : "one guest"}
            </button>
            .
          </p>
          <p className="mt-1 flex flex-wrap gap-x-3 gap-y-1">
            <QuietButton onClick={() => put(reversed(now))}>Reverse</QuietButton>
            <QuietButton onClick={() => put(withClock(now, 15))}>Turn 12 o’clock 15°</QuietButton>
            <QuietButton onClick={() => add([now])}>Copy</QuietButton>
            <QuietButton onClick={() => add([mirrored(now, middle)])}>Mirror</QuietButton>
            <span>
              <QuietButton onClick={() => add(repeated(now, middle, times))}>Repeat</QuietButton>{" "}
              <NumberWord
                label="how many round the axis"
                value={times}
                min={2}
                max={24}
                {...inCount}
                onChange={setTimes}
              />{" "}
              round its axis
            </span>
            <QuietButton
              onClick={() => {
                keep(seats.filter((s) => s.name !== now.name));
                choose(null);
              }}
            >
              Delete
            </QuietButton>
          </p>
        </div>
      )}
      <p className="mt-2 flex flex-wrap items-baseline gap-x-3">
        <QuietButton onClick={() => suggest.mutate()} disabled={suggest.isPending} why="Looking at the mesh…">
          Suggest seats
        </QuietButton>
        {suggested.length > 0 && <QuietButton onClick={() => setSuggested([])}>None of them</QuietButton>}
      </p>
      {suggested.length > 0 && (
        <ul className="mt-1" aria-label="Suggested seats">
          {suggested.map((seat) => (
            <li key={seat.name} className="flex items-baseline gap-3">
              <span className="text-quiet">{seat.name}</span>
              <QuietButton
                onClick={() => {
                  add([seat]);
                  setSuggested(suggested.filter((s) => s !== seat));
                }}
              >
                take
              </QuietButton>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
