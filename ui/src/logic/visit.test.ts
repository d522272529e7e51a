import { expect, test } from "vitest";
import { brief } from "./visit";

test("one figure stands alone, several are told apart by side or name", () => {
  expect(brief([])).toBe("");
  expect(brief([{ label: "points met", value: "4 of 6" }])).toBe("4 of 6");
  const sides = [
    { label: "angle, left", value: "68°", side: "left" },
    { label: "angle, right", value: "74°", side: "right" },
  ];
  expect(brief(sides)).toBe("left 68° · right 74°");
  expect(brief(sides.slice(1))).toBe("right 74°");
  expect(
    brief([
      { label: "waist to height", value: "0.55", side: null },
      { label: "waist", value: "39 in", side: null },
    ]),
  ).toBe("waist to height 0.55 · waist 39 in");
});
