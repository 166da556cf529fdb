import type { PropDetail } from "../api/client";
import { ChoiceWord } from "../slip/words";
import type { Changes } from "./changes";
import { HEADING } from "./heading";

interface Props {
  detail: PropDetail;
  set: (changes: Changes) => void;
}

/** In what unit its file is taken, and which way is up. */
export function Size({ detail, set }: Props) {
  const { prop } = detail;
  return (
    <>
      <h2 className={HEADING}>Size</h2>
      <p>
        Its file is taken in{" "}
        <ChoiceWord
          label="unit"
          value={detail.unit || "said"}
          onChange={(v) => set({ unit: (v === "said" ? "" : v) as Changes["unit"] })}
          choices={[
            { value: "said", words: "the unit it says itself" },
            { value: "mm", words: "millimetres" },
            { value: "cm", words: "centimetres" },
            { value: "m", words: "metres" },
            { value: "in", words: "inches" },
            { value: "ft", words: "feet" },
          ]}
        />
        , with{" "}
        <ChoiceWord
          label="which way is up"
          value={detail.up || "said"}
          onChange={(v) => set({ up: (v === "said" ? "" : v) as Changes["up"] })}
          choices={[
            { value: "said", words: "up as it says" },
            { value: "y", words: "+Y up" },
            { value: "z", words: "+Z up" },
          ]}
        />
        .{prop.volume !== null && ` It holds ${(prop.volume * 1000).toFixed(2)} l of material.`}
      </p>
    </>
  );
}
