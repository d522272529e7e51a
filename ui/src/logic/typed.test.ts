import { describe, expect, it } from "vitest";
import { typed } from "./typed";

describe("numbers as people write them", () => {
  it.each([
    ["12,4", "reps", 12.4],
    ["1 120", "m", 1120],
    ["1\u202f120", "m", 1120],
    ["−3.5", "cm", -3.5],
    ["-3.5", "cm", -3.5],
    ["+2", "cm", 2],
    [".5", "s", 0.5],
    ["7:02", "s", 422],
    ["1:02:30.5", "s", 3750.5],
    ["7:02,4", "s", 422.4],
    ["5'10\"", "cm", 177.8],
    ["5 ft 10 in", "cm", 177.8],
    ["5’10”", "cm", 177.8],
    ["36 in", "cm", 91.44],
    ['36"', "cm", 91.44],
    ["92.5 cm", "cm", 92.5],
    ["180 lb", "kg", 81.6466266],
    ["80kg", "kg", 80],
    ["74°", "°", 74],
    ["88½ in", "cm", 88.5 * 2.54],
    ["5' 4 1/2\"", "cm", 64.5 * 2.54],
    ["¾ in", "cm", 0.75 * 2.54],
  ])("%s in %s is %d", (text, unit, value) => expect(typed(text, unit)).toBeCloseTo(value, 6));

  it.each([
    ["1,120", "m"],
    ["7:02", "reps"],
    ["7:2:3:4", "s"],
    ["abc", "kg"],
    ["", "kg"],
    ["36 in", "kg"],
    ["1e3", "m"],
    ["12..4", "m"],
    ["9/3", "cm"],
  ])("%s is no number in %s", (text, unit) => expect(typed(text, unit)).toBeNull());
});
