/** Where to look from: a dial seen as the set is seen from above. */
import { Popover } from "radix-ui";

import { useParts } from "../state";
import { IDLE, type Verb } from "../state/tools";
import type { Look } from "../drawing/looks";

const SIDES: { look: Look; path: string; x: number; y: number; words: string }[] = [
  {
    look: "back",
    path: "M14.6 14.6A50 50 0 0 1 85.4 14.6L66.3 33.7A23 23 0 0 0 33.7 33.7Z",
    x: 50,
    y: 19,
    words: "back",
  },
  {
    look: "right",
    path: "M85.4 14.6A50 50 0 0 1 85.4 85.4L66.3 66.3A23 23 0 0 0 66.3 33.7Z",
    x: 85,
    y: 53.5,
    words: "right",
  },
  {
    look: "front",
    path: "M85.4 85.4A50 50 0 0 1 14.6 85.4L33.7 66.3A23 23 0 0 0 66.3 66.3Z",
    x: 50,
    y: 89,
    words: "front",
  },
  {
    look: "left",
    path: "M14.6 85.4A50 50 0 0 1 14.6 14.6L33.7 33.7A23 23 0 0 0 33.7 66.3Z",
    x: 15,
    y: 53.5,
    words: "left",
  },
];

interface Props {
  /** Verbs that are taken in hand here. */
  verbs: Verb[];
  onLook: (look: Look) => void;
  onThrough: () => void;
  onDim: () => void;
  dim: boolean;
  walking: boolean;
  onWalk: () => void;
  pinned: boolean;
  onPin: () => void;
}

/** What the dial has no room for, in words. */
function Words(props: Props) {
  const { verb, setVerb } = useParts("verb", "setVerb");
  const entries: [string, () => void, boolean?][] = [
    ["three-quarter", () => props.onLook("corner")],
    ["underneath", () => props.onLook("under")],
    ["through the gap", props.onThrough],
    [props.walking ? "stand still" : "walk round", props.onWalk, props.walking],
    [props.pinned ? "unpin the view" : "pin this view", props.onPin, props.pinned],
    ...props.verbs.map((each): [string, () => void, boolean] => [
      each,
      () => setVerb(verb === each ? IDLE : each),
      verb === each,
    ]),
    [props.dim ? "light stage" : "dim stage", props.onDim, props.dim],
  ];
  return entries.map(([words, run, pressed]) => (
    <button
      key={words}
      type="button"
      aria-pressed={pressed}
      onClick={run}
      className={`rounded-sm bg-card/85 px-1.5 text-[13px] hover:text-clay-deep ${pressed ? "font-semibold" : ""}`}
    >
      {words}
    </button>
  ));
}

export function LookDial(props: Props) {
  const pressed = (run: () => void) => ({
    onClick: run,
    onKeyDown: (e: React.KeyboardEvent) => {
      if (e.key === "Enter" || e.key === " ") {
        e.preventDefault();
        run();
      }
    },
  });
  return (
    <nav aria-label="Look from" className="absolute top-3 right-3 flex flex-col items-end gap-1">
      <svg width="112" height="112" viewBox="-8 -8 116 116">
        <circle cx="50" cy="50" r="49" className="fill-card" />
        {SIDES.map((side) => (
          <g
            key={side.look}
            role="button"
            tabIndex={0}
            aria-label={`look from the ${side.words}`}
            className="group cursor-pointer outline-none"
            {...pressed(() => props.onLook(side.look))}
          >
            <path
              d={side.path}
              className="fill-card stroke-rule group-hover:fill-wash group-focus-visible:fill-wash group-focus-visible:stroke-ink"
              strokeWidth="1.4"
            />
            <text
              x={side.x}
              y={side.y}
              textAnchor="middle"
              fontSize="10.5"
              className="pointer-events-none fill-ink"
            >
              {side.words}
            </text>
          </g>
        ))}
        <g
          role="button"
          tabIndex={0}
          aria-label="look from above, in plan"
          className="group cursor-pointer outline-none"
          {...pressed(() => props.onLook("plan"))}
        >
          <circle
            cx="50"
            cy="50"
            r="19.5"
            className="fill-card stroke-rule group-hover:fill-wash group-focus-visible:fill-wash group-focus-visible:stroke-ink"
            strokeWidth="1.4"
          />
          <text x="50" y="54" textAnchor="middle" fontSize="10.5" className="pointer-events-none fill-ink">
            plan
          </text>
        </g>
      </svg>
      <div className="hidden flex-col items-end gap-1 @min-[900px]:flex">
        <Words {...props} />
      </div>
      <Popover.Root>
        <Popover.Trigger className="rounded-sm bg-card/85 px-1.5 text-[13px] hover:text-clay-deep @min-[900px]:hidden">
          look…
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="end"
            sideOffset={4}
            className="z-20 flex flex-col items-start gap-1 rounded-sm border border-edge bg-card p-2 shadow-md"
          >
            <Words {...props} />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </nav>
  );
}
