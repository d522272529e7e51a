import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { Moments, runClock, TrueClock } from "./clock";

const T0 = Date.parse("2026-11-23T09:00:00Z");

beforeEach(() => vi.useFakeTimers({ now: T0, toFake: ["Date", "performance"] }));
afterEach(() => vi.useRealTimers());

test("before the server was heard, the screen's own time holds", () => {
  expect(new TrueClock().now()).toBe(T0);
});

test("the server's time is taken to be that of the middle of the way there and back", () => {
  const clock = new TrueClock();
  const sent = performance.now();
  vi.advanceTimersByTime(200);
  // Half way, at 100 ms, the server's clock was ten seconds ahead.
  clock.learn(new Date(T0 + 100 + 10_000).toISOString(), sent, performance.now());
  expect(clock.ahead).toBe(10_000);
  expect(clock.now()).toBe(T0 + 200 + 10_000);
});

test("a slower answer does not spoil what a quicker one taught", () => {
  const clock = new TrueClock();
  const learn = (tookMs: number, aheadMs: number) => {
    const sent = performance.now();
    vi.advanceTimersByTime(tookMs);
    clock.learn(new Date(Date.now() - tookMs / 2 + aheadMs).toISOString(), sent, performance.now());
  };
  learn(20, 5000);
  learn(900, 9000);
  expect(clock.ahead).toBe(5000);
  // What a quicker answer allows stays, and what it rules out is put right.
  learn(10, 5004);
  expect(clock.ahead).toBe(5000);
  learn(10, 5008);
  expect(clock.ahead).toBe(5008);
});

test("after some minutes a slightly slower answer is better than an old one", () => {
  const clock = new TrueClock();
  const learn = (tookMs: number, aheadMs: number) => {
    const sent = performance.now();
    vi.advanceTimersByTime(tookMs);
    clock.learn(new Date(Date.now() - tookMs / 2 + aheadMs).toISOString(), sent, performance.now());
  };
  learn(10, 5000);
  vi.advanceTimersByTime(60_000);
  learn(20, 5012);
  expect(clock.ahead).toBe(5000);
  vi.advanceTimersByTime(120_000);
  learn(20, 5012);
  expect(clock.ahead).toBe(5012);
});

test("a small correction of the system clock makes no second jump", () => {
  const clock = new TrueClock();
  vi.advanceTimersByTime(1000);
  vi.setSystemTime(T0 + 1000 + 200);
  expect(clock.now()).toBe(T0 + 1000);
});

test("after sleep the system clock counts again", () => {
  const clock = new TrueClock();
  // The monotonic clock stood still for an hour.
  vi.setSystemTime(T0 + 3_600_000);
  expect(clock.now()).toBe(T0 + 3_600_000);
});

test("what was learned before sleep goes on, until a better answer is there", () => {
  const clock = new TrueClock();
  clock.learn(new Date(T0 + 7000).toISOString(), 0 + performance.now(), performance.now());
  vi.setSystemTime(T0 + 3_600_000);
  expect(clock.now()).toBe(T0 + 3_600_000 + 7000);
  const sent = performance.now();
  vi.advanceTimersByTime(400);
  clock.learn(new Date(T0 + 3_600_000 + 200 + 6000).toISOString(), sent, performance.now());
  expect(Math.round(clock.ahead)).toBe(6000);
});

test("a floor that comes up while nothing answers goes on with the offset it kept", () => {
  const clock = new TrueClock();
  clock.assume(-2500);
  expect(clock.now()).toBe(T0 - 2500);
});

test("a run’s clock starts when it was set up, and passes at its own pace", () => {
  const set = "2026-11-30T09:00:00Z";
  const later = Date.parse(set) + 90_000;
  expect(runClock({ created_at: set, clock_rate: 1 }, later)).toBe(later);
  expect(runClock({ created_at: set, clock_rate: 4 }, later)).toBe(Date.parse(set) + 360_000);
});

test("events keep their order when a clock is put back a little, and a clock that was an hour wrong delays none", () => {
  const moments = new Moments();
  expect([1000, 1040, 1010, 1060].map((now) => moments.next(now))).toEqual([1000, 1040, 1040, 1060]);
  expect(moments.next(3_600_000)).toBe(3_600_000);
  expect([2000, 2500].map((now) => moments.next(now))).toEqual([2000, 2500]);
  expect(new Moments().next(-5, 8)).toBe(-5);
});
