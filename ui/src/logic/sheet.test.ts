import { describe, expect, test } from "vitest";
import type { SheetRow, SheetState } from "@/api/types";
import {
  attempt,
  bout,
  earlier,
  firstSentence,
  isBeside,
  most,
  onward,
  rowName,
  shown,
  shownWithUnit,
  small,
  stopwatch,
  taken,
} from "./sheet";

const row = (of: Partial<SheetRow> = {}): SheetRow =>
  ({
    input: "waist_cm",
    label: "Waist",
    leg: 0,
    leg_label: "",
    unit: "cm",
    kind: "number",
    step: 0.1,
    choices: [],
    take: { kind: "read", inputs: ["waist_cm"] },
    required: true,
    tries: 1,
    cells: [],
    ...of,
  }) as unknown as SheetRow;
const cells = (...values: unknown[]) => values.map((value) => ({ value, counts: true, at_ms: 0, struck: 0 })) as SheetRow["cells"];
const sheet = (rows: SheetRow[], next: number | null, then: number | null) =>
  ({ rows, next, then, starts_ms: [] }) as unknown as SheetState;

describe("a reading as the sheet shows it", () => {
  test.each([
    [{ unit: "s", step: 0.1 }, 62.4, "1:02.4"],
    [{ unit: "s", step: 0.01 }, 8.95, "8.95"],
    [{ unit: "cm" }, 97.5, "97.5"],
    [{ unit: "cm" }, -3.5, "−3.5"],
    [{ kind: "yes_no" }, true, "made"],
    [{ kind: "yes_no" }, false, "missed"],
    [{ kind: "choice", choices: [{ key: "belt", words: "belt line" }] }, "belt", "belt line"],
    [{ kind: "points" }, { chest: true, heels: false, spine: true }, "2 of 3"],
  ])("%o %o", (of, value, words) => expect(shown(row(of as Partial<SheetRow>), value)).toBe(words));

  test("in the units the client thinks in, with the unit behind it", () => {
    expect(shownWithUnit(row(), 91.44, "imperial")).toBe("36 in");
    expect(shownWithUnit(row({ unit: "s" } as Partial<SheetRow>), 62.4, "imperial")).toBe("1:02.4 s");
  });

  test("which side of zero is said in words", () => {
    const reach = row({ signs: { minus: "gap", plus: "overlap" } } as Partial<SheetRow>);
    expect([shown(reach, -6.5), shown(reach, 1), shown(reach, 0)]).toEqual(["gap 6.5", "overlap 1", "0"]);
  });
});

test("a stopwatch turns over at the minute", () => {
  expect([stopwatch(59.94), stopwatch(60), stopwatch(125.25, 0.01)]).toEqual(["59.9", "1:00.0", "2:05.25"]);
});

test("a name has its side behind it", () => {
  expect([rowName(row()), rowName(row({ side: "left" }))]).toEqual(["Waist", "Waist, left"]);
});

test("in the middle of a sentence a label is small, and an abbreviation is not", () => {
  expect([small("Hips"), small("VO₂max"), small("R to L")]).toEqual(["hips", "VO₂max", "r to L"]);
});

test("the rule in one line is its first sentence", () => {
  expect(firstSentence("Depth is reached. When the form is lost a second time, the test ends.")).toBe("Depth is reached.");
  expect(firstSentence("10.5 cm at least, no bounce")).toBe("10.5 cm at least, no bounce");
});

describe("which time it is", () => {
  const twice = { tries: 3, agree_within: 1 };
  test.each([
    [{}, ""],
    [{ tries: 6 }, "try 1 of 6"],
    [{ tries: 6, cells: cells(1, 2) }, "try 3 of 6"],
    [{ ...twice }, "first time"],
    [{ ...twice, cells: cells(97.5) }, "second time"],
    [{ ...twice, cells: cells(97.5, 99), again: "1.5 cm apart" }, "third time"],
  ])("%o: %s", (of, words) => expect(attempt(row(of as Partial<SheetRow>))).toBe(words));

  test("two that agree are enough", () => {
    expect([most(row(twice)), most(row({ ...twice, cells: cells(1, 2), again: "apart" }))]).toEqual([2, 3]);
  });
});

describe("what the key that saves leads to", () => {
  const hips = row({ input: "hips_cm", label: "Hips" });
  test("the next reading", () => expect(onward(sheet([row(), hips], 0, 1), 0)).toBe("Save and go to hips"));
  test("the same one once more", () =>
    expect(onward(sheet([row({ tries: 3, agree_within: 1 }), hips], 0, 0), 0)).toBe("Save, then the second time"));
  test("another try", () => expect(onward(sheet([row({ tries: 6, cells: cells(1) })], 0, 0), 0)).toBe("Save, then try 3"));
  test("nothing", () => expect(onward(sheet([row()], 0, null), 0)).toBe("Save reading"));
  test("out of turn: back to where the order was", () => expect(onward(sheet([row(), hips], 0, 1), 1)).toBe("Save and go to waist"));
});

test("earlier tries stand beside the field, with what they are called", () => {
  expect(earlier(row({ agree_within: 1, cells: cells(97.5) }), "metric")).toEqual([
    { label: "First time", value: "97.5 cm", counts: true },
  ]);
  expect(earlier(row({ tries: 3, cells: cells(1, 2) }), "metric").map((e) => e.label)).toEqual(["Try 1", "Try 2"]);
});

test("a row gives the rules of its own way of taking and of no other", () => {
  const kicks = row({
    input: "kicks",
    take: { kind: "count", inputs: ["kicks"], rule: "r", strike: "s", seconds: 30 },
  } as Partial<SheetRow>);
  expect([taken(kicks, "count")?.seconds, taken(kicks, "read"), taken(null, "read")]).toEqual([30, null, null]);
  expect([bout(kicks), bout(row())]).toEqual([30, 0]);
});

test("what is counted beside something else is known as that", () => {
  const take = { kind: "count", inputs: ["hops", "touches"], rule: "", strike: "", also: [{ input: "touches", label: "Line touched" }] };
  expect(isBeside(row({ input: "touches", take } as Partial<SheetRow>))).toBe(true);
  expect(isBeside(row({ input: "hops", take } as Partial<SheetRow>))).toBe(false);
});
