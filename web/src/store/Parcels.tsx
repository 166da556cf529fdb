/** Props that arrive: how far each is, and what is asked about its size. */
import { useQueryClient } from "@tanstack/react-query";

import { client, wanted } from "../api/client";
import { askAgain } from "../api/askAgain";
import { inWords } from "../fit/units";
import { ActionButton } from "../ui/buttons";
import { told } from "../ui/telling";
import type { Parcel } from "./importing";

type Unit = "mm" | "cm" | "m" | "in" | "ft";

export function Parcels({
  parcels,
  onChange,
}: {
  parcels: Parcel[];
  /** What others have changed meanwhile stays. */
  onChange: (change: (now: Parcel[]) => Parcel[]) => void;
}) {
  const queries = useQueryClient();
  const drop = (id: number) => onChange((now) => now.filter((p) => p.id !== id));
  const correct = async (parcel: Parcel, body: { unit?: Unit; up?: "y" | "z" }) => {
    const found = await told(
      wanted<NonNullable<Parcel["found"]>>(
        client.PATCH("/api/props/{key}", { params: { path: { key: parcel.found!.prop.key } }, body }),
      ),
    );
    if (!found) return;
    onChange((now) => now.map((p) => (p.id === parcel.id ? { ...p, found } : p)));
    await askAgain(queries, ["props"]);
  };
  if (!parcels.length) return null;
  return (
    <ul aria-label="Arriving" className="mb-5 divide-y divide-rule border border-rule bg-card">
      {parcels.map((p) => (
        <li key={p.id} className="px-4 py-2">
          <div className="flex items-baseline gap-3">
            <strong className="truncate">{p.found?.prop.name ?? p.name}</strong>
            {!p.found && !p.problem && (
              <>
                <span className="figure text-quiet" role="status">
                  {p.sent < 1 ? `sending, ${Math.round(p.sent * 100)} %` : "measuring…"}
                </span>
                <button type="button" className="ml-auto hover:text-clay-deep" onClick={() => p.stop.abort()}>
                  stop
                </button>
              </>
            )}
            {p.found && (
              <span className="figure text-quiet">
                {inWords(p.found.prop.width)} across, {inWords(p.found.prop.height)} up,{" "}
                {inWords(p.found.prop.depth)} along
              </span>
            )}
            {(p.found || p.problem) && (
              <button type="button" className="ml-auto hover:text-clay-deep" onClick={() => drop(p.id)}>
                put away
              </button>
            )}
          </div>
          {p.problem && (
            <p role="alert" className="text-clay-deep">
              {p.problem}
            </p>
          )}
          {p.found?.questions.map((q) => (
            <p key={q.about} className="mt-1 flex flex-wrap items-baseline gap-3">
              <span>{q.text}</span>
              {q.about === "unit" ? (
                <>
                  <ActionButton onClick={() => void correct(p, { unit: q.proposal as Unit })}>
                    {q.proposal === "m" ? "Yes, it is right" : `Take it in ${q.proposal}`}
                  </ActionButton>
                  {(["mm", "cm", "in", "ft"] as Unit[])
                    .filter((u) => u !== q.proposal)
                    .map((u) => (
                      <button
                        key={u}
                        type="button"
                        className="word"
                        onClick={() => void correct(p, { unit: u })}
                      >
                        in {u}
                      </button>
                    ))}
                  {q.proposal !== "m" && (
                    <button type="button" className="word" onClick={() => void correct(p, { unit: "m" })}>
                      it is right as it is
                    </button>
                  )}
                </>
              ) : (
                <>
                  <ActionButton onClick={() => void correct(p, { up: "z" })}>Yes, stand it up</ActionButton>
                  <button type="button" className="word" onClick={() => void correct(p, { up: "y" })}>
                    no, leave it
                  </button>
                </>
              )}
            </p>
          ))}
        </li>
      ))}
    </ul>
  );
}
