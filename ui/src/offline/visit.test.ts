import { expect, test } from "vitest";
import type { GroupVisitPage, PreparedVisit, VisitPage } from "@/api/types";
import type { VisitStands } from "@/core/core";
import type { Change, Here } from "@/outbox/queue";
import { asItStands, eventsHere, groupAsItStands } from "./visit";

const here = (run: string, at: number, more: Partial<Here> = {}): Here => ({ run, coach: "ada", at, ...more });
const place = (n: number) => ({ visit: { visit: "v", place: n } });
const skipped = (n: number, at: number): Change => ({
  id: `c${at}`,
  coach: "ada",
  at,
  visit: "v",
  event: { kind: "skipped", place: n, reason: "a sore wrist" },
});

test("what was done here stands in the order in which it happened, each run with its end", () => {
  const runs = [
    here("second", 30, { ...place(1), ended: "discarded" }),
    here("first", 10, { ...place(0), ended: "finished" }),
    here("open", 40, place(2)),
    here("of another visit", 5, { visit: { visit: "w", place: 0 }, ended: "finished" }),
    here("of none", 6, { ended: "finished" }),
  ];
  expect(eventsHere("v", runs, [skipped(3, 20)])).toEqual([
    { kind: "begun", place: 0, run: "first" },
    { kind: "done", place: 0, result: "first" },
    { kind: "skipped", place: 3, reason: "a sore wrist" },
    { kind: "begun", place: 1, run: "second" },
    { kind: "ended", place: 1 },
    { kind: "begun", place: 2, run: "open" },
  ]);
});

const row = (n: number) => ({ place: n, name: `test ${n}`, stand: "to_come", figures: [], run: null, reason: null });
const at = (stand: string, run: string | null = null, result: string | null = null) => ({ stand, run, result, reason: null });

test("a visit’s page shows what came out here, and what comes next", () => {
  const page = { id: "v", rows: [row(0), row(1)], done: 0, closed: false, next: null } as unknown as VisitPage;
  const prepared = { tests: [0, 1].map((n) => ({ place: n, name: `test ${n}`, run: null })) } as unknown as PreparedVisit;
  const stands = { state: { places: [at("done", "r", "r"), at("running", "s")], order: [1, 0], closed: false }, next: 1 } as VisitStands;
  const shown = asItStands(page, prepared, stands, [here("r", 1, { ...place(0), ended: "finished", came: ["30 s"] })]);
  expect(shown.rows.map((r) => [r.place, r.stand, r.figures.map((f) => f.value)])).toEqual([
    [1, "running", []],
    [0, "done", ["30 s"]],
  ]);
  expect(shown.rows.map((r) => r.brief)).toEqual([null, "30 s"]);
  expect([shown.done, shown.next?.name, shown.next?.run]).toEqual([1, "test 1", "s"]);
});

test("who has done a test of a group here has it no more to do, and an open run is found again", () => {
  const of = { place: 0, done: 1, to_come: ["a", "b", "c"], runs: ["there"] };
  const page = { id: "g", tests: [of, { ...of, place: 1 }] } as unknown as GroupVisitPage;
  const group = (people: string[]) => ({ group: { visit: "g", place: 0, people } });
  const shown = groupAsItStands(page, [
    here("r", 1, { ...group(["a", "b"]), ended: "finished", did: ["a", "b"] }),
    here("s", 2, group(["c"])),
  ]);
  expect(shown.tests.map((t) => [t.done, t.to_come, t.runs])).toEqual([
    [3, ["c"], ["there", "s"]],
    [1, ["a", "b", "c"], ["there"]],
  ]);
  // Who came to no result has it still to do.
  const some = groupAsItStands(page, [here("r", 1, { ...group(["a", "b", "c"]), ended: "finished", did: ["b"] })]);
  expect([some.tests[0]!.done, some.tests[0]!.to_come]).toEqual([2, ["a", "c"]]);
  const gone = groupAsItStands(page, [here("there", 1, { ...group(["a"]), ended: "discarded" })]);
  expect([gone.tests[0]!.done, gone.tests[0]!.runs]).toEqual([1, []]);
});
