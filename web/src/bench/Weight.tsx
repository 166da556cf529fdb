import type { PropDetail } from "../api/client";
import { inWords, parseFigure, parseLength } from "../fit/units";
import { inPercent } from "../slip/figures";
import { ChoiceWord, NumberWord } from "../slip/words";
import { QuietButton } from "../ui/buttons";
import type { Changes } from "./changes";
import { HEADING } from "./heading";

const inKilograms = {
  show: (v: number) => `${v < 10 ? v.toFixed(2) : v.toFixed(0)} kg`,
  read: (text: string) => parseFigure(text.replace(/kg/i, ""), []),
};
const inFactor = { show: (v: number) => v.toFixed(2), read: (text: string) => parseFigure(text, []) };

/** Metres that something is taken to bear when it is first said to break. */
const USUAL_FALL = 0.25;

interface Props {
  detail: PropDetail;
  set: (changes: Changes) => void;
}

/** Material, weight, grip, bounce, and what it bears. */
export function Weight({ detail, set }: Props) {
  const { prop } = detail;
  return (
    <>
      <h2 className={HEADING}>Weight and grip</h2>
      <p>
        It is of{" "}
        <ChoiceWord
          label="material"
          value={prop.material}
          onChange={(material) => set({ material })}
          choices={detail.materials.map((m) => ({ value: m.key, words: m.name }))}
        />{" "}
        and weighs{" "}
        <NumberWord
          label="weight"
          value={prop.mass}
          step={0.05}
          min={0.001}
          max={100000}
          late
          {...inKilograms}
          onChange={(mass) => set({ mass })}
        />
        ; grip{" "}
        <NumberWord
          label="grip"
          value={prop.grip}
          step={0.05}
          min={0}
          max={2}
          late
          {...inFactor}
          onChange={(grip) => set({ grip })}
        />
        , bounce{" "}
        <NumberWord
          label="bounce"
          value={prop.bounce}
          step={0.05}
          min={0}
          max={1}
          late
          {...inPercent}
          onChange={(bounce) => set({ bounce })}
        />
        ; it{" "}
        <ChoiceWord
          label="breaking"
          value={prop.fall === null ? "no" : "yes"}
          onChange={(v) => set({ fall: v === "no" ? 0 : USUAL_FALL })}
          choices={[
            { value: "no", words: "never breaks" },
            { value: "yes", words: "breaks" },
          ]}
        />
        {prop.fall !== null && (
          <>
            {" "}
            when it falls{" "}
            <NumberWord
              label="fall it bears"
              value={prop.fall}
              step={0.01}
              min={0.01}
              max={5}
              late
              show={inWords}
              read={(text) => parseLength(text)}
              onChange={(fall) => set({ fall })}
            />{" "}
            or more onto something hard
          </>
        )}
        .{" "}
        {detail.own_mass && (
          <QuietButton onClick={() => set({ mass: null })}>weigh it by its material</QuietButton>
        )}
      </p>
    </>
  );
}
