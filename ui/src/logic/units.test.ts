import { describe, expect, it } from "vitest";
import { fromShown, inUnits, shownUnit, toShown } from "./units";
import { typed } from "./typed";
import { question } from "./usual";

describe("the client's units", () => {
  it.each([
    ["10.8", "cm", 27.432],
    ["27 cm", "cm", 27],
    ['10.8"', "cm", 27.432],
    ["225", "kg", 102.05828325],
    ["100 kg", "kg", 100],
    ["180 ft", "m", 54.864],
    ["60 yd", "m", 54.864],
    ["12", "s", 12],
  ])("a bare %s for %s of someone who thinks in inches and pounds", (text, unit, value) => {
    expect(typed(text, unit, "imperial")).toBeCloseTo(value, 6);
  });

  it("a bare number is metric for everybody else", () => {
    expect(typed("10.8", "cm")).toBe(10.8);
  });

  it("what is shown is what was typed, and never a tail of digits", () => {
    for (const [value, unit] of [
      [35.005, "cm"],
      [102.0582825, "kg"],
    ] as const) {
      const shown = toShown(value, unit, "imperial");
      expect(String(shown).length).toBeLessThan(8);
      expect(fromShown(shown, unit, "imperial")).toBeCloseTo(value, 1);
    }
    expect([shownUnit("kg", "imperial"), shownUnit("s", "imperial"), inUnits(91.44, "cm", "imperial")]).toEqual(["lb", "s", "36 in"]);
  });
});

describe("what is unusual is asked about", () => {
  const run = { from: 150, to: 4500 };
  it("a distance typed in kilometres", () => {
    expect(question(2.2, "m", run, "metric")).toEqual({
      ask: "2.2 m? Most are between 150 m and 4500 m. Did you mean 2200 m?",
      meant: 2200,
    });
  });
  it("a length typed in metres, in the client's unit", () => {
    expect(question(0.92, "cm", { from: 55, to: 140 }, "metric")?.meant).toBe(92);
    expect(question(91, "beats", { from: 8, to: 27 }, "metric")?.meant).toBeNull();
    expect(question(254, "cm", { from: 55, to: 140 }, "imperial")?.ask).toContain("100 in?");
  });
  it("nothing of what is usual, and nothing where nothing is known to be", () => {
    const reach = { minus: "gap", plus: "overlap" };
    expect(question(-65, "cm", { from: -30, to: 20 }, "metric", reach)?.ask).toBe(
      "gap 65 cm? Most are between gap 30 cm and overlap 20 cm. Did you mean gap 6.5 cm?",
    );
    expect(question(2200, "m", run, "metric")).toBeNull();
    expect(question(2.2, "m", null, "metric")).toBeNull();
  });
  it("no guess where none fits", () => {
    expect(question(0, "m", run, "metric")).toEqual({ ask: "0 m? Most are between 150 m and 4500 m.", meant: null });
  });
});
