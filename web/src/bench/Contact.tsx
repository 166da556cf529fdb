import type { ContactShape, PropDetail } from "../api/client";
import { inMillimetres } from "../fit/units";
import { ChoiceWord } from "../slip/words";
import { QuietButton } from "../ui/buttons";
import type { Changes } from "./changes";
import { HEADING } from "./heading";

export type Kind = "best" | "ball" | "box" | "capsule" | "hull" | "parts";

const SHAPES: { value: Kind; words: string }[] = [
  { value: "best", words: "the best shape" },
  { value: "box", words: "a box" },
  { value: "ball", words: "a ball" },
  { value: "capsule", words: "a capsule" },
  { value: "hull", words: "a hull" },
  { value: "parts", words: "convex parts" },
];

interface Props {
  detail: PropDetail;
  /** The shape, once it is made. */
  shape: ContactShape | undefined;
  covered: boolean;
  onCover: () => void;
  set: (changes: Changes) => void;
}

/** What stands for it while gravity acts, and how far that errs. */
export function Contact({ detail, shape, covered, onCover, set }: Props) {
  const kind = (detail.prop.contact || "best") as Kind;
  return (
    <>
      <h2 className={HEADING}>Contact shape</h2>
      <p>
        While gravity acts,{" "}
        <ChoiceWord
          label="contact shape"
          value={kind}
          onChange={(v) => set({ contact: v === "best" ? "" : v })}
          choices={SHAPES}
        />{" "}
        stands for it. {!shape && <span className="text-quiet">Making it…</span>}
        {shape?.problem && <span className="text-clay-deep">None can be made: {shape.problem}.</span>}
        {shape && !shape.problem && (
          <span className="figure">
            {SHAPES.find((s) => s.value === shape.kind)?.words ?? shape.kind}
            {shape.parts > 1 && `, ${shape.parts} of them`}:{" "}
            <span className={shape.good ? "" : "text-clay-deep"}>
              {inMillimetres(shape.bulge)} beyond the surface, {inMillimetres(shape.uncovered)} within it
            </span>
            .
          </span>
        )}
      </p>
      <p className="mt-1">
        <QuietButton
          onClick={() => onCover()}
          disabled={!shape?.file}
          why="There is no contact shape to draw."
        >
          {covered ? "Take it off the prop" : "Draw it over the prop"}
        </QuietButton>
      </p>
    </>
  );
}
