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

/** How a language writes numbers: what stands before tenths, and between thousands. */
export interface NumberSigns {
  decimal: string;
  group: string;
}

/** Of a language; of the reader's own where none is named. */
export function signsOf(language?: string): NumberSigns {
  const parts = new Intl.NumberFormat(language, { useGrouping: true }).formatToParts(123456.7);
  const sign = (type: string) => parts.find((part) => part.type === type)?.value ?? "";
  return { decimal: sign("decimal"), group: sign("group") };
}

const OWN_SIGNS = signsOf();

/** A written number. What can be read in one way only is read so; “1,200” is what the reader's language has it for, or else refused. */
function numberOf(token: string, { decimal, group }: NumberSigns): number | null {
  const [whole = "", ...rest] = token.split(/[.,]/);
  const signs = token.match(/[.,]/g) ?? [];
  const last = signs.at(-1);
  if (last === undefined) return Number(whole);
  const thousands = whole.length <= 3 && !whole.startsWith("0") && rest.every((part) => part.length === 3);
  if (signs.length > 1) {
    const sign = signs[0]!;
    if (thousands && signs.every((s) => s === sign)) return Number(whole + rest.join(""));
    const [groups, tenths] = [rest.slice(0, -1), rest.at(-1)!];
    const grouped = whole.length <= 3 && groups.every((part) => part.length === 3);
    const alike = signs.slice(0, -1).every((s) => s === sign) && last !== sign;
    return grouped && alike ? Number(`${whole}${groups.join("")}.${tenths}`) : null;
  }
  if (!thousands || last === decimal) return Number(`${whole}.${rest[0]!}`);
  return last === group ? Number(whole + rest[0]!) : null;
}

/** “12”, “12mm”, “1.2 cm + 3 mm”, “2 * 45” to metres; a bare number is in `bare`. Null when it is not a length. */
export function parseLength(text: string, bare = "mm", signs = OWN_SIGNS): number | null {
  const unitless = FACTORS[bare] ?? 1;
  return calculate(text, (unit) => FACTORS[unit] ?? null, unitless, signs);
}

/** Angles and shares with the same arithmetic: “45 + 90”, “360 / 7”; `units` are passed over. */
export function parseFigure(text: string, units: string[]): number | null {
  return calculate(text, (unit) => (units.includes(unit) ? 1 : null), 1, OWN_SIGNS);
}

interface Quantity {
  value: number;
  /** Whether a unit was written: two lengths cannot be multiplied. */
  measured: boolean;
}

/** Sums and products of figures with units, in the usual order, with brackets (recursive descent). */
function calculate(
  text: string,
  factorOf: (unit: string) => number | null,
  unitless: number,
  signs: NumberSigns,
): number | null {
  const tokens = text
    .replaceAll(MINUS, "-")
    .replaceAll("×", "*")
    .match(/\d+(?:[.,]\d+)*|[a-z°%]+|[-+*/()]|\S/gi);
  if (!tokens) return null;
  let at = 0;
  const number = (): Quantity | null => {
    const token = tokens[at++];
    if (token === "-" && tokens[at] !== "-") {
      const found = number();
      return found && { ...found, value: -found.value };
    }
    if (token === "(") {
      const found = sum();
      return tokens[at++] === ")" ? found : null;
    }
    if (token === undefined || !/^\d/.test(token)) return null;
    const written = numberOf(token, signs);
    if (written === null) return null;
    const unit = tokens[at]?.toLowerCase();
    if (unit && /^[a-z°%]+$/.test(unit)) {
      at += 1;
      const factor = factorOf(unit);
      return factor === null ? null : { value: written * factor, measured: true };
    }
    return { value: written, measured: false };
  };
  const product = (): Quantity | null => {
    let left = number();
    while (left && (tokens[at] === "*" || tokens[at] === "/")) {
      const times = tokens[at++] === "*";
      const right = number();
      if (!right || (right.measured && (left.measured || !times))) return null;
      left = {
        value: times ? left.value * right.value : left.value / right.value,
        measured: left.measured || right.measured,
      };
    }
    return left;
  };
  const inUnit = (q: Quantity): Quantity => (q.measured ? q : { value: q.value * unitless, measured: true });
  const sum = (): Quantity | null => {
    let left = product();
    while (left && (tokens[at] === "+" || tokens[at] === "-")) {
      const plus = tokens[at++] === "+";
      const right = product();
      if (!right) return null;
      const a = inUnit(left);
      const b = inUnit(right);
      left = { value: plus ? a.value + b.value : a.value - b.value, measured: true };
    }
    return left;
  };
  const found = sum();
  if (!found || at !== tokens.length || !Number.isFinite(found.value)) return null;
  return inUnit(found).value;
}
