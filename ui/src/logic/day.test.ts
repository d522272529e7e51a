import { describe, expect, it } from "vitest";
import { daysOn, isMonthFirst, readDay, weeksOf, writtenDay } from "./day";

const TODAY = "2026-11-29";

describe("a typed day", () => {
  it.each([
    ["3/12/2026", "2026-12-03"],
    ["3.12.26", "2026-12-03"],
    ["03-12-2026", "2026-12-03"],
    ["3 12", "2026-12-03"],
    ["3 Dec 2026", "2026-12-03"],
    ["Dec 3, 2026", "2026-12-03"],
    ["3 december", "2026-12-03"],
    ["3 sept 1990", "1990-09-03"],
    ["2026-12-03", "2026-12-03"],
    ["2/4/62", "1962-04-02"],
    ["2/4/36", "2036-04-02"],
    ["03122026", "2026-12-03"],
    ["020462", "1962-04-02"],
    ["Today", TODAY],
  ])("%s, day first", (text, day) => expect(readDay(text, false, TODAY)).toBe(day));

  it("takes the month first where the practice does", () => {
    expect(readDay("12/3/2026", true, TODAY)).toBe("2026-12-03");
    expect(readDay("3 Dec 2026", true, TODAY)).toBe("2026-12-03");
    expect(readDay("13/1/2026", true, TODAY)).toBeNull();
    expect(readDay("3.12.2026", true, TODAY)).toBe("2026-12-03");
  });

  it("guesses the order by the language of the browser", () => {
    expect([isMonthFirst("en-US"), isMonthFirst("en-GB"), isMonthFirst("de-DE"), isMonthFirst("sv-SE")]).toEqual([
      true,
      false,
      false,
      false,
    ]);
  });

  it.each(["", "yesterday", "31/2/2026", "3/13/2026", "12", "3/12/202", "3 of Dec", "1/1/1850", "3 Foo 2026", "1/2/3/4"])(
    "“%s” is none",
    (text) => expect(readDay(text, false, TODAY)).toBeNull(),
  );

  it("is read again from what the field shows, whichever order", () => {
    for (let day = "1990-01-01"; day < "2031-01-01"; day = daysOn(day, 17)) {
      expect(readDay(writtenDay(day), false, TODAY)).toBe(day);
      expect(readDay(writtenDay(day), true, TODAY)).toBe(day);
    }
  });
});

describe("the month to pick from", () => {
  it("has whole weeks from Monday on", () => {
    const weeks = weeksOf(2026, 11);
    expect(weeks[0]).toEqual([null, null, null, null, null, null, "2026-11-01"]);
    expect(weeks.every((w) => w.length === 7)).toBe(true);
    expect(weeks.flat().filter(Boolean)).toHaveLength(30);
  });

  it("goes over months and years", () => {
    expect(daysOn("2026-12-31", 1)).toBe("2027-01-01");
    expect(daysOn("2024-03-01", -1)).toBe("2024-02-29");
  });
});
