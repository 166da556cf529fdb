import { Link } from "react-router";

import { Glyph, STATE_ORDER } from "../fit/Glyph";
import { Here } from "../people/Here";
import { redo, stopMove, undo } from "../stage/making";
import { useParts } from "../state";
import { PlainButton } from "../ui/buttons";

export function Header({ onProof, proof }: { onProof: () => void; proof: number | null }) {
  const { name, line, saving, canUndo, canRedo, fits, key, history, ledger, set, underWay } = useParts(
    "name",
    "line",
    "saving",
    "canUndo",
    "canRedo",
    "fits",
    "key",
    "history",
    "ledger",
    "set",
    "underWay",
  );
  const counts = STATE_ORDER.map((state) => ({
    state,
    n: [...fits.values()].filter((f) => f.state === state).length,
  })).filter(({ n, state }) => n > 0 || state === "seated");
  const status = line === "lost" ? "the server is away; trying again" : saving > 0 ? "saving…" : "saved";
  return (
    <header className="flex h-12 items-center gap-4 border-b border-rule bg-card px-4 text-[14px] max-[900px]:overflow-x-auto">
      <Link to="/" aria-label="All sets" className="shrink-0">
        <img src="/mark.svg" alt="" width={24} height={24} />
      </Link>
      <h1 className="min-w-24 truncate text-[17px] font-semibold">{name}</h1>
      <Here />
      <span
        className={`whitespace-nowrap ${line === "lost" ? "text-clay-deep" : "text-quiet"}`}
        role="status"
      >
        {status}
      </span>
      {underWay.map(({ ask, done, total, stopping }) => (
        <span
          key={ask}
          role="group"
          aria-label="move under way"
          className="flex items-baseline gap-2 whitespace-nowrap"
        >
          {total > 0 && (
            <span
              role="progressbar"
              aria-label="pieces done"
              aria-valuemin={0}
              aria-valuenow={done}
              aria-valuemax={total}
              className="figure text-quiet"
            >
              {done} of {total}
            </span>
          )}
          <PlainButton
            onClick={() => void stopMove(ask)}
            disabled={stopping}
            why="It stops at its next step."
          >
            {stopping ? "stopping…" : "stop"}
          </PlainButton>
        </span>
      ))}
      <PlainButton
        onClick={() => void undo()}
        disabled={!canUndo}
        why="Nothing was done yet."
        tip={`take back: ${canUndo}`}
      >
        undo
      </PlainButton>
      <PlainButton
        onClick={() => void redo()}
        disabled={!canRedo}
        why="Nothing was undone."
        tip={`do again: ${canRedo}`}
      >
        redo
      </PlainButton>
      <PlainButton pressed={history} onClick={() => set({ history: !history })}>
        history
      </PlainButton>
      <ul
        aria-label="Fit check"
        className="ml-auto flex min-w-0 items-center gap-3 overflow-hidden max-[900px]:shrink-0"
      >
        {[...counts].reverse().map(({ state, n }) => (
          <li key={state} className="flex items-center gap-1 whitespace-nowrap">
            <Glyph state={state} />
            <span className={`figure ${state === "seated" ? "text-quiet" : "font-semibold text-clay-deep"}`}>
              {n} <span className="max-[1180px]:sr-only">{state}</span>
            </span>
          </li>
        ))}
      </ul>
      <PlainButton pressed={ledger} onClick={() => set({ ledger: !ledger })}>
        ledger
      </PlainButton>
      <Link to={`/store?set=${key ?? ""}`} className="whitespace-nowrap hover:text-clay-deep">
        store
      </Link>
      <PlainButton onClick={onProof} tip="a lit still with soft shadows, saved as a picture">
        {proof === null ? "proof" : `proof ${Math.round(proof * 100)} %, stop`}
      </PlainButton>
      <a
        href={key ? `/api/sets/${key}/hand-over.glb` : undefined}
        download
        className="rounded-sm border border-ink px-3 py-0.5 font-semibold whitespace-nowrap hover:border-clay hover:text-clay-deep"
      >
        hand over
      </a>
    </header>
  );
}
