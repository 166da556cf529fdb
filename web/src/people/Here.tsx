/** Who has the set open, and a way to let somebody else dress it too. */
import { Popover } from "radix-ui";
import { useState } from "react";

import { client, wanted } from "../api/client";
import { useParts } from "../state";

function initials(name: string): string {
  const number = /\((\d+)\)$/.exec(name)?.[1] ?? "";
  const letters = name
    .replace(/\(\d+\)$/, "")
    .trim()
    .split(/\s+/)
    .map((w) => w[0]?.toUpperCase() ?? "");
  return letters.slice(0, 2).join("") + number;
}

export function Here() {
  const { here, stage, key, own, dressers, set } = useParts("here", "stage", "key", "own", "dressers", "set");
  const [name, setName] = useState("");
  const [problem, setProblem] = useState<string | null>(null);
  const share = async () => {
    try {
      await wanted(
        client.POST("/api/sets/{key}/dressers", {
          params: { path: { key: key! } },
          body: { username: name.trim() },
        }),
      );
      set({ dressers: [...dressers, name.trim()] });
      setName("");
      setProblem(null);
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const unshare = async (username: string) => {
    await wanted(
      client.DELETE("/api/sets/{key}/dressers/{username}", { params: { path: { key: key!, username } } }),
    );
    set({ dressers: dressers.filter((d) => d !== username) });
  };
  return (
    <Popover.Root>
      <Popover.Trigger className="flex items-center gap-1 text-[13px]">
        <span className="sr-only">who is here: {here.map((o) => o.name).join(", ")}</span>
        {here.slice(0, 4).map((o) => (
          <span
            key={o.stage}
            aria-hidden="true"
            title={
              o.stage === stage ? `${o.name}, you` : o.holding.length ? `${o.name}, moving something` : o.name
            }
            className={`figure rounded-sm border px-1 leading-snug ${
              o.stage === stage ? "border-edge text-quiet" : "border-ink"
            } ${o.holding.length ? "bg-wash" : ""}`}
          >
            {initials(o.name)}
          </span>
        ))}
        {here.length > 4 && (
          <span className="figure" aria-hidden="true">
            +{here.length - 4}
          </span>
        )}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          className="z-20 w-64 rounded-sm border border-edge bg-card p-3 text-[14px] shadow-md"
        >
          <h2 className="font-semibold">Here now</h2>
          <ul>
            {here.map((o) => (
              <li key={o.stage}>
                {o.name}
                {o.stage === stage && <span className="text-quiet">, you</span>}
                {o.holding.length > 0 && <span className="text-quiet">, moving {o.holding.length}</span>}
              </li>
            ))}
          </ul>
          {own && (
            <form
              className="mt-2 border-t border-rule pt-2"
              onSubmit={(e) => {
                e.preventDefault();
                void share();
              }}
            >
              <label className="block" htmlFor="dresser">
                Let somebody else dress this set
              </label>
              <input
                id="dresser"
                value={name}
                onChange={(e) => setName(e.target.value)}
                placeholder="the name they sign in with"
                className="w-full border-b border-edge bg-transparent outline-none placeholder:text-quiet focus:border-ink"
              />
              {problem && <p className="mt-1 text-clay-deep">{problem}</p>}
              {dressers.map((d) => (
                <p key={d} className="mt-1 flex">
                  {d}
                  <button
                    type="button"
                    className="ml-auto hover:text-clay-deep"
                    onClick={() => void unshare(d)}
                  >
                    no longer
                  </button>
                </p>
              ))}
            </form>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
