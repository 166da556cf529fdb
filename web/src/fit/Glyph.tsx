import type { FitState } from "../api/client";

export const STATE_ORDER: FitState[] = ["clashing", "sunk", "unborne", "floating", "tippy", "seated"];

export const isFault = (state: FitState): boolean => state !== "seated" && state !== "unchecked";

/** A block and a line: how a piece stands, told by shape and not by colour alone. */
export function Glyph({ state, size = 18 }: { state: FitState; size?: number }) {
  const fault = isFault(state);
  const colour = fault ? "var(--color-clay)" : "var(--color-quiet)";
  const fill = fault ? "url(#fault-hatch)" : colour;
  const block = { fill, stroke: colour, strokeWidth: 1.2 };
  const line = <path d="M1.5 15.5h17" stroke={colour} strokeWidth="1.8" strokeLinecap="round" />;
  return (
    <svg width={size} height={size} viewBox="0 0 20 20" aria-hidden="true" className="inline-block shrink-0">
      <defs>
        <pattern
          id="fault-hatch"
          width="3.2"
          height="3.2"
          patternTransform="rotate(45)"
          patternUnits="userSpaceOnUse"
        >
          <rect width="3.2" height="3.2" fill="var(--color-card)" />
          <rect width="1.5" height="3.2" fill="var(--color-clay)" />
        </pattern>
      </defs>
      {state === "seated" && <rect x="5.5" y="6" width="9" height="8.6" {...block} />}
      {state === "floating" && <rect x="5.5" y="2" width="9" height="8" {...block} />}
      {state === "sunk" && <rect x="5.5" y="10" width="9" height="8" {...block} />}
      {state === "clashing" && (
        <>
          <rect x="2.5" y="5.6" width="9" height="9" {...block} />
          <rect x="8.5" y="3" width="9" height="9" fill="none" stroke={colour} strokeWidth="1.4" />
        </>
      )}
      {state === "tippy" && (
        <rect x="6" y="4.4" width="9" height="8.6" transform="rotate(24 10 10)" {...block} />
      )}
      {state === "unborne" && <rect x="5.5" y="5" width="9" height="9" strokeDasharray="2 1.6" {...block} />}
      {state === "unchecked" && <circle cx="10" cy="9" r="1.6" fill={colour} />}
      {state !== "unborne" && line}
    </svg>
  );
}
