import { describe, expect, it } from "vitest";
import type { Condition } from "@/api/types";
import { answers, given, circumstance } from "./conditions";
import { mark, nth } from "./visit";

const asked = [
  { key: "bench_cm", kind: "number", unit: "cm" },
  { key: "shoes", kind: "text" },
  { key: "warm", kind: "yes_no" },
] as unknown as Condition[];

describe("circumstances", () => {
  it("go as numbers where they are some, as typed where they are none, and not at all where nothing was said", () => {
    expect(answers(asked, { bench_cm: "41,3", shoes: "", warm: false })).toEqual({ bench_cm: 41.3, warm: false });
    expect(answers(asked, { bench_cm: "a step" })).toEqual({ bench_cm: "a step" });
    expect(answers(asked, { bench_cm: "16 in", colour: "red" })).toEqual({ bench_cm: 40.64 });
  });
  it("come back into the form as words", () => {
    expect(given({ bench_cm: 41.3, warm: true, shoes: "none" })).toEqual({ bench_cm: "41.3", warm: true, shoes: "none" });
  });
});

describe("a visit's rail", () => {
  it("says which time it is and where each test stands", () => {
    expect([nth(1), nth(3), nth(12), nth(21)]).toEqual(["first", "third", "12th", "21st"]);
    expect(mark({ stand: "done" }, 0, false)).toBe("✓");
    expect(mark({ stand: "to_come", waits: "opens later" }, 4, false)).toBe("◦");
    expect(mark({ stand: "to_come" }, 4, true)).toBe("5");
  });
});

it("a circumstance names what it is about once", () => {
  expect(circumstance({ label: "Warm-up", value: "yes" })).toBe("warm-up: yes");
  expect(circumstance({ label: "Arms", value: "arms swing" })).toBe("arms swing");
  expect(circumstance({ label: "Missed lines", value: "two in a row end it" })).toBe("missed lines: two in a row end it");
});
