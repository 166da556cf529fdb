/** Buttons. One that cannot be pressed keeps the focus, so that everybody can learn why. */
import type { ReactNode } from "react";

import { Tip } from "./Tip";

interface Props {
  children: ReactNode;
  onClick: () => void;
  disabled?: boolean;
  /** Why it cannot be pressed. */
  why?: string;
  /** What it does, where its own words do not say it all. */
  tip?: string;
}

function Pressed({ children, onClick, disabled, why, tip, className }: Props & { className: string }) {
  return (
    <Tip words={disabled ? why : tip}>
      <button
        type="button"
        aria-disabled={disabled ? true : undefined}
        onClick={(event) => (disabled ? event.preventDefault() : onClick())}
        className={className}
      >
        {children}
      </button>
    </Tip>
  );
}

/** The one action that matters; beside it stands why it cannot be done. */
export function ActionButton(props: Props) {
  return (
    <span className="inline-flex flex-wrap items-baseline gap-x-3 gap-y-1">
      <Pressed
        {...props}
        className="rounded-sm bg-clay px-3 py-1 text-[14px] font-semibold whitespace-nowrap text-card hover:bg-clay-deep aria-disabled:bg-rule aria-disabled:text-ink"
      />
      {props.disabled && props.why && <span className="text-[13.5px] text-quiet">{props.why}</span>}
    </span>
  );
}

/** Any other action of a slip. */
export function QuietButton(props: Props) {
  return (
    <Pressed
      {...props}
      className="border-b-[1.5px] border-quiet text-[14px] hover:border-clay hover:text-clay-deep aria-disabled:border-transparent aria-disabled:text-quiet"
    />
  );
}

/** A plain word that does something, in a header or beside something. */
export function PlainButton({ pressed, ...props }: Props & { pressed?: boolean }) {
  return (
    <Tip words={props.disabled ? props.why : props.tip}>
      <button
        type="button"
        aria-pressed={pressed}
        aria-disabled={props.disabled ? true : undefined}
        onClick={() => !props.disabled && props.onClick()}
        className="whitespace-nowrap hover:text-clay-deep aria-disabled:text-quiet"
      >
        {props.children}
      </button>
    </Tip>
  );
}
