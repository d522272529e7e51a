import { expect, test } from "vitest";
import { piles } from "./piles";

const one = (value: number, tag: string) => ({ value, shown: String(value), tag, name: tag });

test("who came to the same stands in one pile, and two values that are near are written apart", () => {
  const drawn = piles([one(960, "7"), one(400, "2"), one(960, "3"), one(420, "5"), one(1400, "9")]);
  expect(drawn.map((p) => [p.shown, Math.round(p.at), p.of.map((o) => o.tag).join(), p.lowered])).toEqual([
    ["400", 0, "2", false],
    ["420", 2, "5", true],
    ["960", 56, "7,3", false],
    ["1400", 100, "9", false],
  ]);
  expect(piles([one(5, "1"), one(5, "2")]).map((p) => p.at)).toEqual([50]);
  expect(piles([])).toEqual([]);
});
