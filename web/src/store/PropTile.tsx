/** A prop in the store, drawn to scale beside a hand, with its true measures. */
import { Link } from "react-router";

import type { Prop } from "../api/client";
import { pictureOf } from "../api/pictures";
import { inMillimetres } from "../fit/units";

const BOX = 132;
const HAND_M = 0.19;

/** A measure without its tenths, which are on the bench. */
const shortly = (metres: number) => (metres >= 1 ? `${metres.toFixed(2)} m` : inMillimetres(metres, 0));

/** An open hand, 19 cm from wrist to finger tip, in a box of 10 by 19. */
const HAND =
  "M3 19C2.4 15.6 1.4 13.4.4 11.6c-.5-1 .6-1.7 1.3-.9l1.2 1.6V3.6c0-1.2 1.3-1.2 1.4 0l.3 4.6.4-6.6c.1-1.3 1.4-1.3 1.4 0l.1 6.5.9-5.5c.2-1.1 1.4-.9 1.3.2l-.5 6 1-3.6c.3-1 1.3-.7 1.2.3-.4 3.4-.9 6.3-1.5 8.7-.4 1.800-.5 3.200-.5 4.800z";

export function PropTile({
  prop,
  standing,
  onTrolley,
  onWheel,
}: {
  prop: Prop;
  standing: number;
  onTrolley: boolean | null;
  onWheel: () => void;
}) {
  // One scale for the prop and the hand, whichever is the larger.
  const tallest = Math.max(prop.height, HAND_M, (prop.width + 0.1) * 0.8);
  const scale = BOX / (tallest * 1.06);
  return (
    <article className="flex h-full flex-col rounded-sm border border-rule bg-card" aria-label={prop.name}>
      <Link to={`/bench/${prop.key}`} className="block" aria-label={`${prop.name}, to the bench`}>
        <div
          className="flex items-end justify-center gap-2 border-b border-rule px-2 pt-2"
          style={{ height: BOX + 14 }}
        >
          <img
            src={pictureOf(prop.file, "front")}
            alt=""
            loading="lazy"
            style={{ width: prop.width * scale, height: prop.height * scale, objectFit: "fill" }}
          />
          <svg
            viewBox="0 0 10 19"
            style={{ height: HAND_M * scale, width: (HAND_M * 10 * scale) / 19 }}
            className="shrink-0 fill-paper stroke-quiet"
            strokeWidth={Math.min(0.5, 12 / (HAND_M * scale * 1.2))}
            aria-hidden="true"
          >
            <path d={HAND} />
          </svg>
        </div>
      </Link>
      <div className="px-3 pt-1.5 pb-2">
        <h3 className="truncate font-semibold">
          <Link to={`/bench/${prop.key}`} className="hover:text-clay-deep">
            {prop.name}
          </Link>
        </h3>
        <p className="figure text-[13px] text-quiet">
          {shortly(prop.width)} across, {shortly(prop.height)} up, {shortly(prop.depth)} along
        </p>
        <p className="figure text-[13px] text-quiet">
          {prop.mass < 10 ? prop.mass.toFixed(2) : Math.round(prop.mass)} kg,{" "}
          {prop.triangles.toLocaleString()} triangles
        </p>
        {prop.tags.length > 0 && <p className="truncate text-[13px] text-quiet">{prop.tags.join(", ")}</p>}
        {prop.doubt && <p className="mt-1 text-[13px] text-clay-deep">{prop.doubt.text}</p>}
        {onTrolley !== null && (
          <p className="mt-1 flex text-[13.5px]">
            {(onTrolley || standing === 0) && (
              <button type="button" className="word" onClick={onWheel}>
                {onTrolley ? "off the trolley" : "wheel onto the set"}
              </button>
            )}
            {standing > 0 && <span className="figure ml-auto text-quiet">{standing} on the set</span>}
          </p>
        )}
      </div>
    </article>
  );
}
