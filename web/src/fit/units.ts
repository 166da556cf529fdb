/** Lengths on screen: the one place for units. The server speaks metres. */
const MINUS = "\u2212";

export function inMillimetres(metres: number, decimals = 1): string {
  const value = (metres * 1000).toFixed(decimals);
  return `${value.replace("-", MINUS)} mm`;
}

/** A length short enough for a label: 0.4 mm, 12.0 mm, 1.24 m. */
export function inWords(metres: number): string {
  return Math.abs(metres) >= 1 ? `${metres.toFixed(2)} m` : inMillimetres(metres);
}

const FACTORS: Record<string, number> = { mm: 0.001, cm: 0.01, m: 1, in: 0.0254, ft: 0.3048 };

/** “12”, “12mm”, “1.2 cm” to metres; a bare number is in `bare`. Null when it is not a length. */
export function parseLength(text: string, bare = "mm"): number | null {
  const found = /^\s*(-?\d+(?:[.,]\d+)?)\s*(mm|cm|m|in|ft)?\s*$/i.exec(text.replace(MINUS, "-"));
  if (!found?.[1]) return null;
  const factor = FACTORS[(found[2] ?? bare).toLowerCase()];
  return factor === undefined ? null : Number(found[1].replace(",", ".")) * factor;
}
