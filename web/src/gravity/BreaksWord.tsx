import { limits } from "../api/limits";
import { inLength } from "../slip/figures";
import { ChoiceWord, NumberWord } from "../slip/words";

const SMALLEST_SHARD = 0.03;

/** Whether things break when they are struck harder than they bear, and into how small shards. */
export function BreaksWord({
  value,
  onChange,
}: {
  value: number | null;
  onChange: (breaks: number | null) => void;
}) {
  return (
    <>
      <ChoiceWord
        label="what breaks"
        value={value === null ? "no" : "yes"}
        onChange={(v) => onChange(v === "no" ? null : SMALLEST_SHARD)}
        choices={[
          { value: "no", words: "and nothing breaks" },
          { value: "yes", words: "and what is struck too hard breaks" },
        ]}
      />
      {value !== null && (
        <>
          {" "}
          into shards of{" "}
          <NumberWord
            label="smallest shard"
            value={value}
            {...inLength}
            step={0.005}
            {...limits("SettleAsked", "breaks")}
            onChange={onChange}
          />{" "}
          or more
        </>
      )}
    </>
  );
}
