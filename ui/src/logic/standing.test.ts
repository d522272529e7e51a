import { describe, expect, it } from "vitest";
import type { GroupStanding } from "@/api/types";
import { below, missing, rows, sorted, tone, viewsOf } from "./standing";

type Cell = NonNullable<GroupStanding["lines"][number]["cells"][number]>;
const cell = (value: number, more: Partial<Cell> = {}): Cell => ({
  result: "r",
  value,
  shown: String(value),
  self_reported: false,
  counts: true,
  ...more,
});
const line = (name: string, cells: (Cell | null)[], presence: "here" | "absent" = "here") => ({
  person: name,
  name,
  number: 7,
  presence,
  cells,
});
const measure = (lower_is_better: boolean) =>
  ({ test: "Shuttle", label: "Time", unit: "s", lower_is_better }) as GroupStanding["measures"][number];
const of = (lower: boolean, lines: GroupStanding["lines"]) => ({ measures: [measure(lower)], lines }) as GroupStanding;

describe("a group's table", () => {
  const lines = [line("Varga", [cell(310)]), line("Askvik", [null], "absent"), line("Moor", [cell(298)])];
  it("is sorted with the best first and who has none last", () => {
    expect(sorted(of(true, lines), 0).map((l) => l.name)).toEqual(["Moor", "Varga", "Askvik"]);
    expect(sorted(of(false, lines), 0).map((l) => l.name)).toEqual(["Varga", "Moor", "Askvik"]);
    expect(sorted(of(true, lines), null)).toBe(lines);
  });
  it("says below a value what is asked for", () => {
    const moved = cell(41, { last: "38", verdict: "clear_gain", verdict_words: "clear gain", mark: "near", mark_words: "near" });
    expect([below(moved, "change"), tone(moved, "change")]).toEqual(["clear gain, was 38", "good"]);
    expect([below(moved, "mark"), tone(moved, "mark")]).toEqual(["near", ""]);
    expect(below(cell(41), "change")).toBe("first time");
    const alone = cell(41, { self_reported: true, counts: false });
    expect([below(alone, "change"), below(alone, "group")]).toEqual(["self-reported, first time", "self-reported: left out"]);
    expect(below(cell(41, { in_group: { z: -1.24, t: 37.6, percentile: 8.3 } }), "group")).toBe("z −1.2 · T 38 · 8 %");
    expect([below(cell(41), "group"), below(cell(41), "norm"), below(cell(41), "mark")]).toEqual(["too few", "no norm", "no target"]);
  });
  it("has the range of an estimate, on the page and in the file, and of nothing else", () => {
    const estimated = of(false, [line("Varga", [cell(44, { range: "38 to 50" })]), line("Moor", [null])]);
    expect([below(estimated.lines[0]!.cells[0]!, "range"), below(cell(310), "range")]).toEqual(["95 %: 38 to 50", ""]);
    expect(viewsOf(estimated).at(-1)![0]).toBe("range");
    expect(viewsOf(of(true, lines)).map(([key]) => key)).not.toContain("range");
    const [heads, varga, moor] = rows(estimated, estimated.lines, true);
    const at = heads!.indexOf("Shuttle · Time (s) · 95 % range");
    expect([varga![at], moor![at], moor!.length]).toEqual(["38 to 50", null, heads!.length]);
    expect(rows(of(true, lines), lines, true)[0]!.join()).not.toContain("range");
  });
  it("goes into a file with or without names", () => {
    expect(rows(of(true, lines), lines, true)[1]!.slice(0, 4)).toEqual([7, "Varga", null, 310]);
    expect(rows(of(true, lines), lines, false)[0]!.slice(0, 3)).toEqual(["No.", "Playing group", "Shuttle · Time (s)"]);
    expect(rows(of(true, lines), lines, false)[2]).toContain("absent");
    expect(missing(lines[1]!)).toBe("absent");
  });
});
