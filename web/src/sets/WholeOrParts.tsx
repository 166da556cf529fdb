/** The one question about a file whose groups may be one thing each, or a crowd: with a picture of every group. */
import { useEffect, useRef, useState } from "react";

import { ActionButton, QuietButton } from "../ui/buttons";
import type { FileGroup } from "./opening";

interface Props {
  file: string;
  groups: FileGroup[];
  onOpen: (whole: string[]) => void;
  onCancel: () => void;
}

/** From dark to light clay: red, green and blue of both. */
const SHADES = [
  [84, 224],
  [66, 200],
  [46, 164],
] as const;

function brown(shade: number): string {
  return `rgb(${SHADES.map(([dark, light]) => Math.round(dark + (light - dark) * shade)).join(",")})`;
}

function Picture({ group }: { group: FileGroup }) {
  return (
    <svg viewBox="-8 -8 116 116" className="h-28 w-28 shrink-0 bg-paper" aria-hidden="true">
      {group.picture.map(([corners, shade], n) => (
        <polygon key={n} points={corners} fill={brown(shade)} stroke={brown(shade)} strokeWidth="0.4" />
      ))}
    </svg>
  );
}

export function WholeOrParts({ file, groups, onOpen, onCancel }: Props) {
  const [whole, setWhole] = useState(() => new Set(groups.filter((g) => g.likely_whole).map((g) => g.name)));
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), []);

  function say(name: string, one: boolean): void {
    const next = new Set(whole);
    if (one) next.add(name);
    else next.delete(name);
    setWhole(next);
  }

  return (
    <section
      aria-labelledby="whole-or-parts"
      className="mb-6 rounded-sm border border-rule bg-card px-5 py-4"
    >
      <h2 id="whole-or-parts" ref={heading} tabIndex={-1} className="text-[19px] font-semibold outline-none">
        One piece, or several?
      </h2>
      <p className="mt-1 max-w-2xl text-quiet">
        {file} has parts in groups. What is one piece moves and stands as one; parts that are pieces stand
        each by itself.
      </p>
      <ul className="mt-3 grid grid-cols-[repeat(auto-fill,minmax(360px,1fr))] gap-3">
        {groups.map((group) => (
          <li key={group.name} className="flex gap-4 border-t border-rule pt-3">
            <Picture group={group} />
            <fieldset>
              <legend className="font-semibold">
                {group.name}
                {group.times > 1 && <span className="font-normal text-quiet">, {group.times} of them</span>}
              </legend>
              {[true, false].map((one) => (
                <label key={String(one)} className="mt-1.5 flex items-baseline gap-2">
                  <input
                    type="radio"
                    name={`whole ${group.name}`}
                    checked={whole.has(group.name) === one}
                    onChange={() => say(group.name, one)}
                    className="accent-clay"
                  />
                  {one ? "one piece" : `${group.parts} pieces`}
                </label>
              ))}
            </fieldset>
          </li>
        ))}
      </ul>
      <p className="mt-4 flex items-baseline gap-4">
        <ActionButton onClick={() => onOpen([...whole])}>Open it so</ActionButton>
        <QuietButton onClick={onCancel}>Do not open it</QuietButton>
      </p>
    </section>
  );
}
