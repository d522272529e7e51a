import { expect, test } from "vitest";
import { withoutSign } from "./signs";

test("a sign is refused in words, with one side as with two", () => {
  expect(withoutSign({ minus: "gap", plus: "overlap" })).toBe("Type the length without a sign, then choose gap or overlap.");
  expect(withoutSign({ minus: "short of the wall" })).toBe("Type the length without a sign: it counts as short of the wall.");
});
