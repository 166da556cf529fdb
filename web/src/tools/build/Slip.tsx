import { told } from "../../ui/telling";
import { useRef, useState } from "react";

import { type Prop, type PropDetail, sendFiles } from "../../api/client";
import { standBearer } from "../../stage/making";
import { useParts, useStage } from "../../state";
import type { BuildSlip as Sentence } from "../../state/tools";
import { inCount, inDegrees, inLargeLength, inLength } from "../../slip/figures";
import { ChoiceWord, NumberWord } from "../../slip/words";
import { QuietButton } from "../../ui/buttons";

type Kind = Sentence["kind"];

const KINDS: { value: Kind; words: string }[] = [
  { value: "floor", words: "floor" },
  { value: "wall", words: "wall" },
  { value: "shelf", words: "shelf" },
  { value: "steps", words: "flight of steps" },
  { value: "sweep", words: "curved sweep" },
  { value: "box", words: "open box" },
  { value: "terrain", words: "terrain" },
];

export function BuildSlip({ middle }: { middle: () => [number, number, number] }) {
  const { build, setBuild, note } = useParts("build", "setBuild", "note");
  const image = useRef<HTMLInputElement>(null);
  const model = useRef<HTMLInputElement>(null);
  const [sending, setSending] = useState<number | null>(null);
  const has = (...kinds: Kind[]) => kinds.includes(build.kind);
  const length = (label: string, name: "across" | "along" | "height" | "radius") => (
    <NumberWord
      label={label}
      value={build[name]}
      {...inLargeLength}
      onChange={(v) => setBuild({ [name]: v })}
    />
  );
  const send = async <T,>(run: (onProgress: (share: number) => void) => Promise<T>) => {
    setSending(0);
    const found = await told(run(setSending));
    setSending(null);
    return found;
  };
  const terrain = async (file: File) => {
    const fields = {
      across: String(build.across),
      along: String(build.along),
      height: String(build.height),
      name: file.name.replace(/\.\w+$/, ""),
    };
    const prop = await send((onProgress) =>
      sendFiles<Prop>("/api/bearers/terrain", fields, [{ name: "file", file }], onProgress),
    );
    if (prop) await standBearer(prop, [0, 0, 0], build.turn);
  };
  const bring = async (files: File[]) => {
    const found = await send((onProgress) =>
      sendFiles<PropDetail>(
        "/api/props",
        {},
        files.map((file) => ({ name: "files", file })),
        onProgress,
      ),
    );
    if (!found) return;
    await standBearer(found.prop, middle(), build.turn);
    const asked = found.questions.find((q) => q.about === "unit");
    if (asked) useStage.getState().set({ note: `${asked.text} Mend it under “repair”.` });
  };
  return (
    <div>
      <p>
        Build a{" "}
        <ChoiceWord
          label="kind of bearer"
          value={build.kind}
          onChange={(kind) => setBuild({ kind })}
          choices={KINDS}
        />
        , {length("across", "across")} across
        {!has("wall") && (
          <>
            , {length("along", "along")} {has("shelf", "sweep", "box") ? "deep" : "along"}
          </>
        )}
        {!has("floor") && <>, {length("height", "height")} high</>}
        {has("shelf") && (
          <>
            , with{" "}
            <NumberWord
              label="boards"
              value={build.count}
              min={2}
              max={20}
              {...inCount}
              onChange={(count) => setBuild({ count })}
            />{" "}
            boards
          </>
        )}
        {has("steps") && (
          <>
            , of{" "}
            <NumberWord
              label="steps"
              value={build.count}
              min={1}
              max={40}
              {...inCount}
              onChange={(count) => setBuild({ count })}
            />{" "}
            steps
          </>
        )}
        {has("shelf", "box", "wall") && (
          <>
            ,{" "}
            <NumberWord
              label="thickness"
              value={build.thickness}
              {...inLength}
              min={0.002}
              onChange={(thickness) => setBuild({ thickness })}
            />{" "}
            thick
          </>
        )}
        {has("sweep") && <>, bent round {length("radius of the bend", "radius")}</>}, turned{" "}
        <NumberWord
          label="turn"
          value={build.turn}
          step={15}
          min={-360}
          max={360}
          {...inDegrees}
          onChange={(turn) => setBuild({ turn })}
        />
        {has("terrain") ? "." : ". Press on the stage where it should stand."}
      </p>
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
        {has("terrain") && (
          <QuietButton
            onClick={() => image.current?.click()}
            disabled={sending !== null}
            why="Still sending."
          >
            Choose a height image
          </QuietButton>
        )}
        <QuietButton onClick={() => model.current?.click()} disabled={sending !== null} why="Still sending.">
          Bring a model instead
        </QuietButton>
      </p>
      {sending !== null && (
        <p className="mt-1 text-[14px]" role="status">
          {sending < 1 ? `sending, ${Math.round(sending * 100)} %` : "measuring…"}
        </p>
      )}
      <input
        ref={image}
        type="file"
        accept="image/*"
        className="hidden"
        aria-label="height image"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) void terrain(file);
          e.target.value = "";
        }}
      />
      <input
        ref={model}
        type="file"
        multiple
        className="hidden"
        aria-label="model of a bearer"
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          if (files.length) void bring(files);
          e.target.value = "";
        }}
      />
      <p className="figure mt-1 min-h-5 text-[14px] text-quiet">{note}</p>
    </div>
  );
}
