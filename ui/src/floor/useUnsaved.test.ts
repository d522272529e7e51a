import { beforeEach, expect, it } from "vitest";
import { ref } from "vue";
import { useUnsaved } from "./useUnsaved";

beforeEach(() => sessionStorage.clear());
const screen = (row: string) => {
  const text = ref("");
  const at = ref(row);
  useUnsaved(
    () => at.value,
    () => (text.value ? { text: text.value } : null),
    (kept) => (text.value = kept.text),
  );
  return { text, at };
};

it("finds again after a reload what was typed and not saved, for its own row alone", () => {
  screen("left").text.value = "68";
  expect(screen("left").text.value).toBe("68");
  expect(screen("right").text.value).toBe("");
});

it("forgets what was saved", () => {
  const first = screen("left");
  first.text.value = "68";
  first.text.value = "";
  first.at.value = "right";
  expect(screen("left").text.value).toBe("");
});
