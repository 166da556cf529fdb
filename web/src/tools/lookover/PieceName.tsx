import { useState } from "react";

import type { Piece } from "../../api/client";
import { make } from "../../stage/making";

/** The name of a piece; press to write another. */
export function PieceName({ piece }: { piece: Piece }) {
  const [writing, setWriting] = useState(false);
  if (!writing)
    return (
      <button
        type="button"
        className="text-left font-semibold hover:text-clay-deep"
        title="press to rename"
        onClick={() => setWriting(true)}
      >
        {piece.name}
      </button>
    );
  const done = (name: string) => {
    setWriting(false);
    if (name.trim() && name.trim() !== piece.name)
      void make({ kind: "rename", piece: piece.key, name: name.trim() });
  };
  return (
    <input
      autoFocus
      aria-label="name of the piece"
      defaultValue={piece.name}
      onFocus={(e) => e.target.select()}
      onBlur={(e) => done(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === "Enter") done(e.currentTarget.value);
        if (e.key === "Escape") setWriting(false);
      }}
      className="w-40 border-b border-ink bg-transparent font-semibold outline-none"
    />
  );
}
