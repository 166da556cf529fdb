/** A magnified side view of one contact, both outlines in section, to a millimetre scale. */
import { useQuery } from "@tanstack/react-query";

import { type Feeler, client, wanted } from "../api/client";
import { Glyph, isFault } from "../fit/Glyph";
import { inMillimetres, inWords } from "../fit/units";
import { useParts } from "../state";

const W = 264;
const H = 168;

function niceStep(span: number): number {
  const raw = span / 4;
  const power = 10 ** Math.floor(Math.log10(raw));
  return ([1, 2, 5, 10].find((m) => m * power >= raw) ?? 10) * power;
}

export function FeelerCard() {
  const { key, revision, selected, pointed, pieces, fits } = useParts(
    "key",
    "revision",
    "selected",
    "pointed",
    "pieces",
    "fits",
  );
  const piece = pointed ?? selected[selected.length - 1] ?? null;
  const { data, isFetching, error } = useQuery({
    queryKey: ["feeler", key, piece, revision, piece !== null && fits.get(piece)?.deeper],
    enabled: key !== null && piece !== null && fits.has(piece),
    queryFn: () =>
      wanted<Feeler>(
        client.GET("/api/sets/{key}/feeler/{piece}", { params: { path: { key: key!, piece: piece! } } }),
      ),
    placeholderData: (previous, query) => (query?.queryKey[2] === piece ? previous : undefined),
    staleTime: Infinity,
  });
  if (!piece || !fits.has(piece)) return null;
  const fit = fits.get(piece)!;
  const scale = data ? W / (2 * data.half) : 1;
  const X = (x: number) => W / 2 + x * scale;
  const Y = (y: number) => H / 2 - y * scale;
  const path = (segments: number[][]) =>
    segments
      .map(
        ([a, b, c, d]) => `M${X(a!).toFixed(1)} ${Y(b!).toFixed(1)}L${X(c!).toFixed(1)} ${Y(d!).toFixed(1)}`,
      )
      .join("");
  const step = data ? niceStep((2 * data.half * 100) / W) : 0.001;
  const gap = data?.gap ?? 0;
  const half = gap / 2;
  const shows = data && gap > 1e-4 && !fit.clashes.length;
  return (
    <figure
      aria-label="Feeler: side view of the contact"
      className="absolute right-3 bottom-3 rounded-sm border [@container(max-height:430px)]:right-auto [@container(max-height:430px)]:left-3 border-rule bg-card shadow-sm"
      style={{ width: W + 2 }}
    >
      <svg
        width={W}
        height={H}
        viewBox={`0 0 ${W} ${H}`}
        role="img"
        aria-label={fit.reason}
        className="block"
      >
        <defs>
          <pattern
            id="gap-hatch"
            width="6"
            height="6"
            patternTransform="rotate(45)"
            patternUnits="userSpaceOnUse"
          >
            <rect width="6" height="6" fill="#f3ddd2" />
            <rect width="2.4" height="6" fill="#a9482a" opacity="0.55" />
          </pattern>
        </defs>
        {data && (
          <>
            {shows && (
              <rect
                x={X(-data.half * 0.5)}
                width={W * 0.5}
                y={Y(half)}
                height={gap * scale}
                fill="url(#gap-hatch)"
              />
            )}
            {data.others.map((o) => (
              <path
                key={o.key}
                d={path(o.segments)}
                stroke="#8a6b4c"
                strokeWidth="2.2"
                fill="none"
                strokeLinecap="round"
              />
            ))}
            <path
              d={path(data.piece.segments)}
              stroke="#22303a"
              strokeWidth="1.8"
              fill="none"
              strokeLinecap="round"
            />
            {shows && (
              <g stroke="#a9482a" strokeWidth="1.2">
                <path
                  d={`M${W / 2} ${Y(half)}V${Y(-half)}M${W / 2 - 6} ${Y(half)}h12M${W / 2 - 6} ${Y(-half)}h12`}
                />
              </g>
            )}
            {fit.clashes.length > 0 && (
              <circle
                cx={W / 2}
                cy={H / 2}
                r="5"
                fill="none"
                stroke="#a9482a"
                strokeWidth="1.6"
                strokeDasharray="3 2"
              />
            )}
            <g className="figure" fontSize="12" fill="#5f6b72">
              <path
                d={`M12 ${H - 12}h${step * scale}m0 -4v8m${-step * scale} 0v-8`}
                stroke="#5f6b72"
                fill="none"
              />
              <text x={18 + step * scale} y={H - 8} stroke="#fffefa" strokeWidth="4" paintOrder="stroke">
                {step >= 0.001 ? inMillimetres(step, 0) : inMillimetres(step, 2)}
              </text>
            </g>
          </>
        )}
        {!data && (
          <text x={W / 2} y={H / 2} textAnchor="middle" fontSize="13" fill="#5f6b72">
            {error ? "cannot be measured now" : isFetching ? "measuring…" : ""}
          </text>
        )}
      </svg>
      <figcaption className="flex items-center gap-1.5 border-t border-rule px-2.5 py-1 text-[13.5px]">
        <Glyph state={fit.state} size={17} />
        <span className="truncate">{pieces.get(piece)?.name}</span>
        <span
          className={`figure ml-auto font-semibold whitespace-nowrap ${isFault(fit.state) ? "text-clay-deep" : "text-ink"}`}
        >
          {fit.clashes[0]
            ? `${fit.deeper ? "over " : ""}${inWords(fit.clashes[0].depth)} deep`
            : fit.gap === null
              ? "nothing below"
              : `${inWords(fit.gap ?? 0)} gap`}
        </span>
      </figcaption>
    </figure>
  );
}
