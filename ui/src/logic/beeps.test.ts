import { expect, test } from "vitest";
import type { BeepCourse } from "@/api/types";
import { mark, twice } from "./beeps.test-course";
import { calls, moments, scheduleS, standing } from "./beeps";

const once = [{ from_ms: 10000, at_s: 0, until_ms: null }];

test("one signal a moment: the loudest of two, and nothing after a pause", () => {
  expect(moments(twice, once).map((m) => [m.atMs / 1000, m.signal])).toEqual([
    [10, "start"],
    [17.2, "turn"],
    [24.4, "line"],
    [34.4, "start"],
    [41.6, "turn"],
    [48.8, "line"],
  ]);
  // Paused in level 6, and on again with it from 60 s: its start sounds once more, what was before it does not.
  const paused = [
    { from_ms: 10000, at_s: 0, until_ms: 45000 },
    { from_ms: 60000, at_s: 24.4, until_ms: null },
  ];
  expect(moments(twice, paused).map((m) => m.atMs / 1000)).toEqual([10, 17.2, 24.4, 34.4, 41.6, 60, 67.2, 74.4]);
  expect(calls(twice, paused).map((c) => [Math.round(c.at_ms) / 1000, c.say])).toEqual([
    [29.4, "Five seconds."],
    [34.4, "Level 6."],
    [55, "Five seconds."],
    [58, "Ready."],
    [60, "Level 6."],
  ]);
});

test("where the schedule is, with its pauses", () => {
  const paused = [
    { from_ms: 10000, at_s: 0, until_ms: 45000 },
    { from_ms: 60000, at_s: 24.4, until_ms: null },
  ];
  expect([9000, 12000, 50000, 61000].map((ms) => Math.round(scheduleS(paused, ms) * 10) / 10)).toEqual([-1, 2, 35, 25.4]);
  expect(scheduleS([], 5)).toBe(-Infinity);
});

test("the level, the next signal, the beep a miss belongs to, and where a runner should be", () => {
  expect(standing(twice, -3)).toMatchObject({ level: 5, next: "start", toNext: 3, sounded: 0, judged: 0, dot: 0, heading: 0 });
  expect(standing(twice, 3.6)).toMatchObject({ level: 5, next: "turn", distance: 0, dot: 10, heading: 1 });
  expect(standing(twice, 10.8)).toMatchObject({ next: "line", dot: 10, heading: -1 });
  // A second before its beep a miss is that beep's already; the recovery belongs to it too.
  expect(standing(twice, 13.5)).toMatchObject({ judged: 1, sounded: 0 });
  expect(standing(twice, 20)).toMatchObject({
    judged: 1,
    sounded: 1,
    resting: true,
    next: "start",
    startsAt: "A",
    level: 6,
    distance: 40,
    dot: 0,
  });
  expect(standing(twice, 99)).toMatchObject({ toNext: null, next: null, sounded: 2, distance: 80 });
});

test("a stage that ends by the clock is walked on from to the line ahead", () => {
  const stage: BeepCourse = {
    leg_m: 20,
    zone_m: 3,
    early_s: 1,
    by_clock: true,
    lead: [],
    calls: [],
    marks: [
      mark(0, "start", "A", { towards: "B" }),
      mark(18, "judged", "C", { distance_m: 40, beep: 2 }),
      mark(30, "rest", "B", { distance_m: 50 }),
      mark(45, "start", "B", { towards: "A", distance_m: 50 }),
    ],
  };
  expect(standing(stage, 30)).toMatchObject({ dot: 30, heading: -1, resting: true, startsAt: "B", towards: "A" });
  expect(standing(stage, 37.5).dot).toBeCloseTo(25);
  expect(standing(stage, 44.999).dot).toBeCloseTo(20, 1);
});
