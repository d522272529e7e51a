import { expect, test } from "vitest";
import { inHalves, joinAddress } from "./join";

test("a partner is told the whole address, and the code in two halves", () => {
  expect(joinAddress()).toBe(`${window.location.host}/join`);
  expect(joinAddress()).toMatch(/^[a-z0-9.]+(:\d+)?\/join$/);
  expect(inHalves("QCZ6BU4M")).toBe("QCZ6 BU4M");
});
