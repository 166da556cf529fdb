import { useState } from "react";

/** Words of a sentence that can be written over; Enter or leaving them keeps what was written. */
export function Words({
  label,
  value,
  onDone,
  wide,
}: {
  label: string;
  value: string;
  onDone: (v: string) => void;
  wide?: boolean;
}) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text !== null && text.trim() !== value) onDone(text.trim());
    setText(null);
  };
  return (
    <input
      aria-label={label}
      value={text ?? value}
      placeholder={wide ? "nothing yet" : undefined}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setText(null);
      }}
      className={`border-b-[1.5px] border-clay bg-transparent font-semibold outline-none [field-sizing:content] focus:bg-wash ${wide ? "max-w-72 min-w-24" : "max-w-48 min-w-12"}`}
    />
  );
}
