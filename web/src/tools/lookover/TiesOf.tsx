/** The ties of what is selected: what each keeps and measures, loosened or locked by one press; and new ones between two pieces. */
import { useParts } from "../../state";
import { make } from "../../stage/making";
import { QuietButton } from "../../ui/buttons";
import { keptWords, measureWords } from "../../ties/words";

export function TiesOf({ keys }: { keys: string[] }) {
  const { ties, measures, pieces, cutOuts, tiesInTheWay } = useParts(
    "ties",
    "measures",
    "pieces",
    "cutOuts",
    "tiesInTheWay",
  );
  const mine = [...ties.values()].filter((tie) => keys.includes(tie.piece) || (tie.tie === "join" && keys.includes(tie.to))); // prettier-ignore
  const [first, second] = keys.map((k) => pieces.get(k));
  const two = keys.length === 2 && first && second;
  const cut = [...cutOuts.values()].filter((c) => keys.includes(c.piece));
  if (!mine.length && !two && !cut.length) return null;
  const tie = (kind: "cling" | "gap" | "square" | "join") =>
    void make({ kind: "tie", tie: kind, piece: first!.key, to: second!.key });
  return (
    <div className="mt-1.5 border-t border-rule pt-1.5">
      {two && (
        <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
          <span>
            Tie <strong>{first.name}</strong> to <strong>{second.name}</strong>:
          </span>
          <QuietButton onClick={() => tie("cling")}>cling to it</QuietButton>
          <QuietButton onClick={() => tie("gap")}>keep the gap</QuietButton>
          <QuietButton onClick={() => tie("square")}>keep square</QuietButton>
          <QuietButton onClick={() => tie("join")}>join as they stand</QuietButton>
          <QuietButton
            onClick={() =>
              void make({ kind: "cut", piece: first.key, bearer: second.key, clearance_m: 0.002 })
            }
          >
            cut it in
          </QuietButton>
        </p>
      )}
      {mine.map((t) => {
        const measure = measures.get(t.key);
        const inTheWay = tiesInTheWay.includes(t.key);
        return (
          <div key={t.key} className="mt-1">
            <p>
              {keys.length > 1 && `${pieces.get(t.piece)?.name}: `}
              {keptWords(t)} · {pieces.get(t.to)?.name}
            </p>
            <p className="flex items-baseline gap-x-3">
              <span
                className={`figure grow text-[13px] ${measure?.holds === false || inTheWay ? "text-clay-deep" : "text-quiet"}`}
              >
                {inTheWay ? (
                  <strong role="alert">in the way</strong>
                ) : (
                  measure && `${measure.holds ? "kept: " : ""}${measureWords(t, measure)}`
                )}
              </span>
              <QuietButton onClick={() => void make({ kind: "loosen", ties: [t.key] })}>loosen</QuietButton>
              {t.tie !== "join" && (
                <QuietButton onClick={() => void make({ kind: "adjust_tie", tie: t.key, locked: !t.locked })}>
                  {t.locked ? "unlock" : "lock"}
                </QuietButton>
              )}
            </p>
          </div>
        );
      })}
      {cut.map((c) => (
        <p key={c.key} className="flex flex-wrap items-baseline gap-x-3">
          <span>cut into {pieces.get(c.bearer)?.name}</span>
          <QuietButton onClick={() => void make({ kind: "fill_in", pieces: [c.piece], bearer: c.bearer })}>
            fill in
          </QuietButton>
        </p>
      ))}
    </div>
  );
}
