import { describe, expect, it } from "vitest";

import { inMillimetres, inWords, parseFigure, parseLength, signsOf } from "./units";

describe("lengths", () => {
  it("are written with their unit", () => {
    expect(inMillimetres(0.0123)).toBe("12.3 mm");
    expect(inMillimetres(-0.0005)).toBe("\u22120.5 mm");
    expect(inWords(1.239)).toBe("1.24 m");
  });

  it.each([
    ["12", 0.012],
    ["12mm", 0.012],
    ["1.5 cm", 0.015],
    ["1,5 cm", 0.015],
    ["2 m", 2],
    ["\u22123 mm", -0.003],
    ["1in", 0.0254],
    ["1.2 cm + 3", 0.015],
    ["2 * (10 mm + 1cm) / 4", 0.01],
    ["-5 - 5mm", -0.01],
  ])("%s is read", (text, metres) => expect(parseLength(text)).toBeCloseTo(metres));

  it.each(["", "far", "12 parsecs", "1e3", "--2", "2 mm * 3 mm", "4 / 2 mm", "(3", "3)", "1 / 0"])(
    "%s is refused",
    (text) => expect(parseLength(text)).toBeNull(),
  );

  it.each([
    ["1,200 mm", "en", 1.2],
    ["1,200 mm", "de", 0.0012],
    ["1.200 mm", "en", 0.0012],
    ["1.200 mm", "de", 1.2],
    ["1,200.5 mm", "de", 1.2005],
    ["1.200,5 mm", "en", 1.2005],
    ["1,234,567 mm", "de", 1234.567],
    ["0,200 m", "en", 0.2],
    ["1,25 m", "en", 1.25],
    ["1.25 m", "de", 1.25],
    ["1.200 mm", "fr", null],
    ["1,2,3 mm", "en", null],
    ["1,200,5 mm", "en", null],
    ["1234,567,8 mm", "en", null],
  ])("%s is read as somebody writes it in %s", (text, language, metres) => {
    const found = parseLength(text, "mm", signsOf(language));
    if (metres === null) expect(found).toBeNull();
    else expect(found).toBeCloseTo(metres, 9);
  });

  it("angles and shares are calculated too", () => {
    expect(parseFigure("360 / 8 + 5°", ["°"])).toBe(50);
    expect(parseFigure("-15", ["°"])).toBe(-15);
    expect(parseFigure("12 mm", ["°"])).toBeNull();
  });
});
