import { expect, test } from "vitest";
import { isWriting } from "./isWriting";

const focused = (html: string) => {
  document.body.innerHTML = html;
  document.querySelector<HTMLElement>("[data-at]")!.focus();
  return isWriting();
};

test("the focus is left in any field that is not the floor’s own entry", () => {
  expect(focused('<form class="entry"><input data-at /></form>')).toBe(false);
  expect(focused('<div class="lift"><label>Load <input data-at /></label></div>')).toBe(true);
  expect(focused('<div class="remark"><textarea data-at></textarea></div>')).toBe(true);
  expect(focused('<form class="entry"><label class="reason"><input data-at /></label></form>')).toBe(true);
  expect(focused('<input type="checkbox" data-at />')).toBe(false);
  expect(focused("<button data-at>Begin</button>")).toBe(false);
});
