import { describe, expect, test } from "vitest";
import type { Input, Procedure, State } from "@/api/types";
import { dayName, dayShort, dayYear, minutes } from "@/logic/dates";
import { rounded } from "@/composables/numbers";
import { chosen } from "./file";
import { ofFloor } from "./floor";
import { emptyPaper, isEmptyPaper } from "./paper";
import { smaller } from "./photo";
import { ofFamily, stagesOf } from "./procedure";
import { hasSign, signed, signsOf } from "./signs";
import { question } from "./usual";
import { mark, nth } from "./visit";

describe("a value outside what is usual", () => {
  const usual = { from: 1000, to: 4000 };
  test("inside, nothing is asked", () => expect(question(2200, "m", usual, "metric")).toBeNull());
  test("without a range, nothing is asked", () => expect(question(2, "m", null, "metric")).toBeNull());
  test("kilometres for metres are guessed", () => {
    const asked = question(2.2, "m", usual, "metric");
    expect(asked?.meant).toBe(2200);
    expect(asked?.ask).toBe("2.2 m? Most are between 1000 m and 4000 m. Did you mean 2200 m?");
  });
  test("where no slip explains it, nothing is guessed", () => {
    expect(question(7, "m", { from: 100, to: 120 }, "metric")).toMatchObject({ meant: null });
  });
  test("in the client's units a range is round", () => {
    expect(question(250, "cm", { from: 50, to: 160 }, "imperial")?.ask).toContain("between 20 in and 63 in");
  });
});

describe("either side of a zero", () => {
  const signs = { minus: "gap", plus: "overlap" };
  test("a sign that is typed is seen", () => {
    expect(["-3", " −3", "+2", "3", "3-4"].map(hasSign)).toEqual([true, true, true, false, false]);
  });
  test("a number says its side", () => {
    expect([signed(signs, -3, "−3"), signed(signs, 2, "2"), signed(null, -3, "−3")]).toEqual(["gap 3", "overlap 2", "−3"]);
  });
  test("the words hold only under their answers", () => {
    const input = { signs: { ...signs, when: { condition: "feet", is: "wall" } } } as unknown as Input;
    expect(signsOf(input, { feet: "wall" })?.minus).toBe("gap");
    expect(signsOf(input, { feet: "free" })).toBeNull();
    expect(signsOf({} as Input, {})).toBeNull();
  });
});

describe("a visit", () => {
  test.each([
    [1, "first"],
    [3, "third"],
    [11, "11th"],
    [12, "12th"],
    [21, "21st"],
    [22, "22nd"],
    [23, "23rd"],
  ])("%i is the %s", (n, words) => expect(nth(n)).toBe(words));
  test("what stands before a test says where it is", () => {
    const at = (stand: string, waits?: string, next = false) => mark({ stand, waits }, 2, next);
    expect([at("done"), at("skipped"), at("to_come", "later"), at("to_come", "later", true), at("to_come")]).toEqual([
      "✓",
      "–",
      "◦",
      "3",
      "3",
    ]);
  });
});

describe("a form from paper", () => {
  test("circumstances alone are no test", () => expect(isEmptyPaper({ ...emptyPaper(), given: { shoes: true } })).toBe(true));
  test("a reading is", () => expect(isEmptyPaper({ ...emptyPaper(), values: { waist_cm: " 97" } })).toBe(false));
  test("so is a stage's heart rate", () =>
    expect(isEmptyPaper({ ...emptyPaper(), stages: [{ load: "150", rates: { "2": "101" } }] })).toBe(false));
  test("blanks are not", () => expect(isEmptyPaper({ ...emptyPaper(), values: { waist_cm: "  " } })).toBe(true));
});

describe("what only one kind of test has", () => {
  const ladder = (input: string) => ({ take: { kind: "ladder", input, stages: ["ear", "chin"], passes: "", fails: "" } });
  const attempts = { family: "attempts", legs: [ladder("hand"), ladder("foot")] } as unknown as Procedure;
  test("the rules of a family", () => {
    expect(ofFamily(attempts, "attempts")?.legs.length).toBe(2);
    expect(ofFamily(attempts, "counted_recovery")).toBeNull();
    expect(ofFamily(null, "attempts")).toBeNull();
  });
  test("the stages of the ladder that counts into a reading", () => {
    expect(stagesOf(attempts, "foot")).toEqual(["ear", "chin"]);
    expect(stagesOf(attempts, "arm")).toBeUndefined();
    expect(stagesOf(attempts)).toEqual(["ear", "chin"]);
  });
  test("the state of a floor", () => {
    const state = { of: { floor: "held" } } as unknown as State;
    expect([ofFloor(state, "held") === null, ofFloor(state, "sheet"), ofFloor(null, "held")]).toEqual([false, null, null]);
  });
});

test("days as people say them, whatever the time zone of the screen", () => {
  expect([dayName("2026-12-03"), dayYear("2026-12-03"), dayShort("2026-12-03T23:59:00Z")]).toEqual([
    "Thu 3 December",
    "3 December 2026",
    "3 Dec 2026",
  ]);
});

test("minutes of a clock never go under nought", () => {
  expect([minutes(0), minutes(-5), minutes(59_999), minutes(545_000)]).toEqual(["0:00", "0:00", "0:59", "9:05"]);
});

test("a number has no more digits than it deserves", () => {
  expect([rounded(2.5, 0), rounded(2.345, 1), rounded(-3.1, 1), rounded(4, 2)]).toEqual(["3", "2.3", "−3.1", "4"]);
});

test("a field for a file is empty again, so that the same one can be chosen once more", () => {
  const file = new File(["x"], "a.csv");
  const input = { files: [file], value: "C:\\fakepath\\a.csv" };
  expect(chosen({ target: input } as unknown as Event)).toBe(file);
  expect(input.value).toBe("");
});

test("a picture that the browser cannot open goes as it is", async () => {
  const file = new Blob(["no picture"]);
  expect(await smaller(file)).toBe(file);
});
