import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { AudioTie, heardNow } from "./audioTie";

beforeEach(() => vi.useFakeTimers({ toFake: ["Date", "performance"] }));
afterEach(() => vi.useRealTimers());

/** An audio clock that passes a little too fast and says its time in blocks; the loudspeaker is late by so much. */
const device = (perMillion: number, block_s = 0, latency_s = 0) =>
  ({
    get currentTime() {
      const true_s = (performance.now() / 1000) * (1 + perMillion / 1e6);
      return block_s ? Math.floor(true_s / block_s) * block_s : true_s;
    },
    outputLatency: latency_s,
  }) as AudioContext;

test("what is heard now is what the device stamps, else its clock less its latency", () => {
  vi.advanceTimersByTime(5000);
  expect(heardNow(device(0, 0, 0.04))).toBeCloseTo(4.96);
  const stamped = Object.assign(device(0), { getOutputTimestamp: () => ({ contextTime: 4.5, performanceTime: performance.now() - 20 }) });
  expect(heardNow(stamped)).toBeCloseTo(4.52);
  const asleep = Object.assign(device(0), { getOutputTimestamp: () => ({ contextTime: 1, performanceTime: performance.now() - 3000 }) });
  expect(heardNow(asleep)).toBeCloseTo(5);
});

test("over twenty minutes two devices whose clocks part stay together, and no beep is off by a millisecond from the one before", () => {
  const devices = [device(60, 0.01), device(-60, 0.003)];
  const ties = devices.map(() => new AudioTie(() => performance.now(), 1));
  ties.forEach((tie, k) => tie.tie(devices[k]!));
  let [apart, moved] = [0, 0];
  for (let look = 0; look < 6000; look++) {
    vi.advanceTimersByTime(200);
    ties.forEach((tie, k) => {
      const was = tie.zero;
      tie.look(devices[k]!);
      if (look > 40) moved = Math.max(moved, Math.abs(tie.zero - was));
      if (look === 40) tie.firm();
    });
    // When a moment of the run is heard, by the time of the room.
    const heard = ties.map((tie, k) => (tie.zero + performance.now() / 1000) / (1 + [60, -60][k]! / 1e6));
    if (look > 40) apart = Math.max(apart, Math.abs(heard[0]! - heard[1]!));
  }
  expect(apart).toBeLessThan(0.015);
  // Nine seconds, the longest there are between two beeps.
  expect(moved * 45).toBeLessThan(0.001);
});

test("time that the audio clock has lost is seen after three looks, and nothing is when its clock is read in blocks", () => {
  let lost_s = 0;
  const audio = Object.assign(device(0), {
    getOutputTimestamp: () => ({ contextTime: performance.now() / 1000 - lost_s, performanceTime: performance.now() }),
  });
  const tie = new AudioTie(() => performance.now(), 1);
  tie.tie(audio);
  tie.firm();
  const look = () => (vi.advanceTimersByTime(200), tie.look(audio));
  expect([look(), look(), look()]).toEqual([false, false, false]);
  lost_s = 0.03;
  expect([look(), look(), look()]).toEqual([false, false, true]);
  expect(tie.zero).toBeCloseTo(-0.03);
  const [blocks, other] = [device(40, 0.01), new AudioTie(() => performance.now(), 1)];
  other.tie(blocks);
  other.firm();
  for (let k = 0; k < 3000; k++) expect((vi.advanceTimersByTime(200), other.look(blocks))).toBe(false);
});

test("a tie that is to stay does not move", () => {
  const [audio, tie] = [device(500), new AudioTie(() => performance.now(), 1)];
  tie.tie(audio, true);
  const was = tie.zero;
  vi.advanceTimersByTime(60_000);
  expect(tie.zero).toBe(was);
  expect(tie.behind(audio)).toBeCloseTo(-0.03);
});
