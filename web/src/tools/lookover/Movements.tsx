import type { Move, Piece, Pose, Prop, Triple } from "../../api/client";
import { inWords, parseLength } from "../../fit/units";
import { inDegrees, inLength, inPercent } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { make } from "../../stage/making";
import { useParts } from "../../state";
import { bearing, raiseOf, slideOf, turnOf } from "../../state/mover";
import { type Movement, STEPS } from "../../state/steps";

/** A side that is thinner is that of a sheet, and has no length of its own. */
const LEAST_SIDE_M = 1e-5;
const [LEAST_FACTOR, MOST_FACTOR] = [0.01, 100];

/** Degrees to which a piece's front is turned about the vertical; null where it looks up or down. */
export function headingOf({ orientation: [x, y, z, w] }: Pose): number | null {
  const front = [2 * (x * z + w * y), 1 - 2 * (x * x + y * y)] as const;
  if (Math.hypot(...front) < 0.1) return null;
  return (Math.atan2(...front) * 180) / Math.PI;
}

function StepWord({ kind }: { kind: Movement }) {
  const { steps, setSteps } = useParts("steps", "setSteps");
  return (
    <ChoiceWord
      label={`step of ${kind}`}
      value={String(steps[kind])}
      onChange={(v) => setSteps({ [kind]: Number(v) })}
      choices={STEPS[kind].map((s) => ({ value: String(s.size), words: s.words }))}
    />
  );
}

/** Figures for what the puck does by hand, and its steps. */
export function Movements({ keys, first }: { keys: string[]; first: Piece }) {
  const { together, set, steps, tryOut, loadComesAlong } = useParts(
    "together",
    "set",
    "steps",
    "tryOut",
    "loadComesAlong",
  );
  const bearers = bearing(keys);
  const several = keys.length > 1 && !bearers;
  const heading = keys.length === 1 ? headingOf(first.pose) : null;
  /** A figure that is tried on the stage while it is scrubbed, and made when it is let go. */
  const made = (move: (value: number) => Move) => ({
    late: true,
    onChange: (value: number) => void make(move(value)),
    preview: (value: number | null) => tryOut(value === null ? null : move(value)),
  });
  const length = { ...inLength, min: -100, max: 100, step: steps.slide || 0.001 };
  return (
    <>
      <p className="mt-1.5">
        {several && (
          <>
            Moved{" "}
            <ChoiceWord
              label="how several pieces move"
              value={together ? "together" : "each"}
              onChange={(v) => set({ together: v === "together" })}
              choices={[
                { value: "together", words: "together, as they stand" },
                { value: "each", words: "each seated on its own" },
              ]}
            />
            .{" "}
          </>
        )}
        Slide it{" "}
        <NumberWord label="slide across" value={0} {...length} {...made((v) => slideOf(keys, [v, 0, 0]))} />{" "}
        across,{" "}
        <NumberWord label="slide along" value={0} {...length} {...made((v) => slideOf(keys, [0, 0, v]))} />{" "}
        along; {heading === null ? "turn it" : "it is turned"}{" "}
        <NumberWord
          label={heading === null ? "turn by" : "turned"}
          value={heading ?? 0}
          step={steps.turn || 1}
          min={-360}
          max={360}
          {...inDegrees}
          {...made((v) => turnOf(keys, v - (heading ?? 0)))}
        />
        {bearers ? (
          <>
            , raise it{" "}
            <NumberWord label="raise by" value={0} {...length} {...made((v) => raiseOf(keys, v))} />; what
            stands on it{" "}
            <ChoiceWord
              label="what stands on it"
              value={loadComesAlong ? "comes" : "stays"}
              onChange={(value) => set({ loadComesAlong: value === "comes" })}
              choices={[
                { value: "comes", words: "comes along" },
                { value: "stays", words: "stays where it is" },
              ]}
            />
            .
          </>
        ) : (
          <Bedding keys={keys} first={first} made={made} />
        )}
      </p>
      <p className="mt-1 text-[13.5px] text-quiet">
        Steps: <StepWord kind="slide" />, <StepWord kind="turn" />, <StepWord kind="size" />,{" "}
        <StepWord kind="raise" /> up and down.
      </p>
    </>
  );
}

/** What a figure does that is tried while it is scrubbed, and made when it is let go. */
type Made = (move: (value: number) => Move) => {
  late: boolean;
  onChange: (value: number) => void;
  preview: (value: number | null) => void;
};

const SIDES = ["across", "up", "along"] as const;

/** The measures of one piece: whichever is written, the others follow, or that side alone is stretched. */
function Measures({ piece, size, made }: { piece: Piece; size: Prop; made: Made }) {
  const { stretched, steps, set } = useParts("stretched", "steps", "set");
  const whole = [size.width, size.height, size.depth];
  const sized = (side: number, factor: number): Move => ({
    kind: "size",
    pieces: [piece.key],
    factor: stretched ? ([0, 1, 2].map((i) => (i === side ? factor : 1)) as Triple) : factor,
  });
  return (
    <>
      ,{" "}
      {SIDES.map((way, side) => {
        const now = whole[side]! * Math.abs(piece.pose.scale[side]!);
        if (now < LEAST_SIDE_M) return null;
        return (
          <span key={way}>
            <NumberWord
              label={`size ${way}`}
              value={now}
              step={now * (steps.size || 0.01)}
              min={now * LEAST_FACTOR}
              max={now * MOST_FACTOR}
              show={inWords}
              read={parseLength}
              {...made((v) => sized(side, v / now))}
            />{" "}
            {way},{" "}
          </span>
        );
      })}
      sized{" "}
      <ChoiceWord
        label="how it is sized"
        value={stretched ? "side" : "whole"}
        onChange={(value) => set({ stretched: value === "side" })}
        choices={[
          { value: "whole", words: "in proportion" },
          { value: "side", words: "one side alone" },
        ]}
      />
    </>
  );
}

/** How large loose pieces are, and whether they touch, are bedded or keep off. */
function Bedding({ keys, first, made }: { keys: string[]; first: Piece; made: Made }) {
  const { together, steps, props } = useParts("together", "steps", "props");
  const size = props.get(first.prop);
  const bed = first.sink - first.stand_off;
  return (
    <>
      {size && keys.length === 1 ? (
        <Measures piece={first} size={size} made={made} />
      ) : (
        <>
          ; size it{" "}
          <NumberWord
            label="size by"
            value={1}
            step={steps.size || 0.01}
            min={0.05}
            max={20}
            {...inPercent}
            {...made((factor) => ({ kind: "size", pieces: keys, factor, together }))}
          />
        </>
      )}
      ; it is meant to{" "}
      <ChoiceWord
        label="bedding"
        value={bed < 0 ? "off" : bed > 0 ? "in" : "touch"}
        onChange={(way) => {
          const amount = Math.max(0.005, Math.abs(bed));
          void make({
            kind: "bed",
            pieces: keys,
            sink: way === "off" ? -amount : way === "in" ? amount : 0,
          });
        }}
        choices={[
          { value: "touch", words: "touch" },
          { value: "in", words: "be bedded" },
          { value: "off", words: "keep off" },
        ]}
      />
      {bed !== 0 && (
        <>
          {" "}
          <NumberWord
            label={bed < 0 ? "stand-off" : "sink"}
            value={Math.abs(bed)}
            {...inLength}
            {...made((v) => ({ kind: "bed", pieces: keys, sink: bed < 0 ? -v : v }))}
          />
        </>
      )}
      .
    </>
  );
}
