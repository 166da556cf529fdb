import { describe, expect, it } from "vitest";

import { inMillimetres, inWords, parseFigure, parseLength } from "./units";

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

  it("angles and shares are calculated too", () => {
    expect(parseFigure("360 / 8 + 5°", ["°"])).toBe(50);
    expect(parseFigure("-15", ["°"])).toBe(-15);
    expect(parseFigure("12 mm", ["°"])).toBeNull();
  });
});
