import { useMemo } from "react";

import { client, wanted } from "../../api/client";
import { isFault } from "../../fit/Glyph";
import { inMillimetres } from "../../fit/units";
import { mend } from "../../stage/making";
import { useParts } from "../../state";
import { ActionButton } from "../../ui/buttons";
import { told } from "../../ui/telling";

/** Props on the set whose size is not believable beside the others, each with a press that mends it. */
function OutOfScale() {
  const { pieces, props } = useParts("pieces", "props");
  const doubtful = useMemo(() => {
    const used = new Set([...pieces.values()].map((p) => p.prop));
    return [...used].map((k) => props.get(k)).filter((p) => p?.doubt);
  }, [pieces, props]);
  if (!doubtful.length) return null;
  const take = (key: string, unit: "mm" | "cm" | "m" | "in" | "ft") =>
    told(wanted(client.PATCH("/api/props/{key}", { params: { path: { key } }, body: { unit } })));
  return (
    <ul className="mt-2 border-l-4 border-clay pl-2 text-[14px] leading-snug">
      {doubtful.map(
        (p) =>
          p?.doubt && (
            <li key={p.key}>
              <strong>{p.name}</strong>: {p.doubt.text}{" "}
              <button
                type="button"
                className="word"
                onClick={() => void take(p.key, p.doubt!.proposal as "mm" | "cm" | "m" | "in" | "ft")}
              >
                {p.doubt.proposal === "m" ? "it is right" : `take it in ${p.doubt.proposal}`}
              </button>
            </li>
          ),
      )}
    </ul>
  );
}

/** Rows of the list: more of them are read in the ledger. */
const MOST_NAMED = 100;

export function RepairSlip() {
  const { fits, pieces, saving, mended, select } = useParts("fits", "pieces", "saving", "mended", "select");
  const faulty = [...fits.values()].filter((f) => isFault(f.state));
  const spiked = faulty.filter((f) => pieces.get(f.key)?.spiked).length;
  const row = "text-left hover:text-clay-deep";
  return (
    <div>
      <p>
        Mend everything that does not sit, with the least movement, from the ground up; spiked pieces stay
        {spiked ? ` (${spiked} of them are wrong)` : ""}.
      </p>
      <OutOfScale />
      <p className="mt-2">
        <ActionButton
          onClick={() => void mend(null)}
          disabled={faulty.length === 0 || saving > 0}
          why={saving ? "A repair is under way." : "Everything sits; there is nothing to mend."}
        >
          {saving ? "Mending…" : faulty.length ? `Repair ${faulty.length}` : "Everything sits"}
        </ActionButton>
      </p>
      <ul className="mt-2 max-h-36 overflow-auto text-[13.5px] leading-snug text-quiet">
        {faulty.slice(0, MOST_NAMED).map((f) => (
          <li key={f.key}>
            <button type="button" className={row} onClick={() => select([f.key])}>
              <span className="text-ink">{pieces.get(f.key)?.name}</span> {f.reason}
            </button>
          </li>
        ))}
        {faulty.length > MOST_NAMED && <li>{faulty.length - MOST_NAMED} more stand in the ledger</li>}
        {mended.slice(0, MOST_NAMED).map((m) => (
          <li key={m.key} className="figure">
            <button type="button" className={row} onClick={() => select([m.key])}>
              <span className="text-ink">{m.name}</span> moved {inMillimetres(m.by)}
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
