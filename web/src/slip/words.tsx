/** The underlined words of a slip: a word is a control. */
import { DropdownMenu, Popover } from "radix-ui";
import { type KeyboardEvent, useRef, useState } from "react";

interface Choice<T extends string> {
  value: T;
  words: string;
}

/** A word that is one of a few. */
export function ChoiceWord<T extends string>(props: {
  label: string;
  value: T;
  choices: Choice<T>[];
  onChange: (value: T) => void;
}) {
  const now = props.choices.find((c) => c.value === props.value);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="word" aria-label={`${props.label}: ${now?.words}`}>
        {now?.words}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-20 min-w-40 rounded-sm border border-edge bg-card py-1 shadow-md"
        >
          <DropdownMenu.RadioGroup value={props.value} onValueChange={(v) => props.onChange(v as T)}>
            {props.choices.map((c) => (
              <DropdownMenu.RadioItem
                key={c.value}
                value={c.value}
                className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-wash data-[state=checked]:font-semibold"
              >
                {c.words}
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** A word that is a number: drag it sideways to scrub, press it to type, with units and simple sums.
 *
 * `late`: the value is told once, when the scrub is let go or Enter pressed, for values that change the set itself;
 * meanwhile `preview` hears it. */
export function NumberWord(props: {
  label: string;
  value: number;
  step: number;
  min: number;
  max: number;
  show: (value: number) => string;
  read: (text: string) => number | null;
  onChange: (value: number) => void;
  late?: boolean;
  preview?: (value: number | null) => void;
}) {
  const [open, setOpen] = useState(false);
  const [draft, setDraft] = useState<number | null>(null);
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState(false);
  const drag = useRef<{ x: number; from: number; moved: boolean } | null>(null);
  const clamp = (v: number) => Math.min(props.max, Math.max(props.min, v));
  const rounded = (v: number) => Math.round(v / props.step) * props.step;
  const commit = () => {
    const value = props.read(text);
    if (value === null || !Number.isFinite(value) || value < props.min || value > props.max)
      return setWrong(true);
    props.onChange(value);
    setOpen(false);
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        if (next && drag.current?.moved) return;
        setText(props.show(props.value));
        setWrong(false);
        setOpen(next);
      }}
    >
      <Popover.Trigger
        className="word figure cursor-ew-resize"
        aria-label={`${props.label}: ${props.show(props.value)}`}
        title="drag sideways, or press to type"
        onPointerDown={(e) => {
          drag.current = { x: e.clientX, from: props.value, moved: false };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          if (!drag.current || e.buttons !== 1) return;
          const by = e.clientX - drag.current.x;
          if (Math.abs(by) > 4) drag.current.moved = true;
          if (!drag.current.moved) return;
          const value = clamp(rounded(drag.current.from + Math.round(by / 4) * props.step));
          if (!props.late) return props.onChange(value);
          setDraft(value);
          props.preview?.(value);
        }}
        onPointerUp={() => {
          if (draft === null) return;
          props.preview?.(null);
          if (draft !== props.value) props.onChange(draft);
          setDraft(null);
        }}
        onClick={(e) => {
          if (drag.current?.moved) e.preventDefault();
          drag.current = null;
        }}
      >
        {props.show(draft ?? props.value)}
      </Popover.Trigger>
      <Typing
        label={props.label}
        className="figure w-28"
        text={text}
        wrong={wrong ? `Write a value from ${props.show(props.min)} to ${props.show(props.max)}.` : null}
        onText={(typed) => {
          setText(typed);
          setWrong(false);
        }}
        onKey={(e) => {
          if (e.key === "Enter") commit();
          if (e.key === "ArrowUp" || e.key === "ArrowDown") {
            e.preventDefault();
            const from = props.late ? (props.read(text) ?? props.value) : props.value;
            const next = clamp(rounded(from + (e.key === "ArrowUp" ? 1 : -1) * props.step));
            if (!props.late) props.onChange(next);
            setText(props.show(next));
          }
        }}
      />
    </Popover.Root>
  );
}

/** A word that is a short text: press it to type. `read` gives what is kept, or null where the text is wrong. */
export function TextWord(props: {
  label: string;
  value: string;
  read: (text: string) => string | null;
  wrong: string;
  onChange: (value: string) => void;
}) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState(false);
  const commit = () => {
    const value = props.read(text);
    if (value === null) return setWrong(true);
    props.onChange(value);
    setOpen(false);
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setText(props.value);
        setWrong(false);
        setOpen(next);
      }}
    >
      <Popover.Trigger
        className="word max-w-full truncate align-bottom"
        aria-label={`${props.label}: ${props.value}`}
      >
        {props.value}
      </Popover.Trigger>
      <Typing
        label={props.label}
        className="w-56"
        text={text}
        wrong={wrong ? props.wrong : null}
        onText={(typed) => {
          setText(typed);
          setWrong(false);
        }}
        onKey={(e) => e.key === "Enter" && commit()}
      />
    </Popover.Root>
  );
}

/** Where the value of a word is typed, and what is wrong with it. */
function Typing(props: {
  label: string;
  className: string;
  text: string;
  wrong: string | null;
  onText: (text: string) => void;
  onKey: (event: KeyboardEvent) => void;
}) {
  return (
    <Popover.Portal>
      <Popover.Content
        align="start"
        sideOffset={4}
        className="z-20 rounded-sm border border-edge bg-card p-2 shadow-md"
      >
        <input
          autoFocus
          aria-label={props.label}
          aria-invalid={props.wrong !== null}
          value={props.text}
          onFocus={(e) => e.target.select()}
          onChange={(e) => props.onText(e.target.value)}
          onKeyDown={props.onKey}
          className={`border-b border-ink bg-transparent px-1 outline-none ${props.className}`}
        />
        {props.wrong && <p className="mt-1 max-w-56 text-[13px] text-clay-deep">{props.wrong}</p>}
      </Popover.Content>
    </Popover.Portal>
  );
}
