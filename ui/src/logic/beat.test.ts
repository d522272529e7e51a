import { describe, expect, it } from "vitest";
import { beatAt, beatMs, parts } from "./beat";

const step = { per_minute: 96, first_ms: 0, places: ["up", "up", "down", "down"], shares: [] };
const pushUp = { per_minute: 40, first_ms: 5000, places: ["down", "up"], shares: [2, 1] };

describe("the beat", () => {
  it("falls evenly where all parts are alike", () => {
    expect([0, 1, 4, 288].map((k) => beatMs(step, k))).toEqual([0, 625, 2500, 180000]);
  });

  it("takes two seconds down and one up", () => {
    expect(parts(pushUp)).toEqual([2000, 1000]);
    expect([0, 1, 2, 3, 40].map((k) => beatMs(pushUp, k))).toEqual([5000, 7000, 8000, 10000, 65000]);
  });

  it("knows which beat stands", () => {
    expect(beatAt(pushUp, 0)).toEqual({ index: 0, part: 0 });
    expect(beatAt(pushUp, 6000)).toEqual({ index: 0, part: 0.5 });
    expect(beatAt(pushUp, 7000)).toEqual({ index: 1, part: 0 });
    expect(beatAt(pushUp, 7750)).toEqual({ index: 1, part: 0.75 });
  });

  it("finds every beat it gives", () => {
    for (const beat of [step, pushUp, { ...step, per_minute: 88 }])
      for (let k = 0; k < 400; k++) expect(beatAt(beat, beatMs(beat, k)).index).toBe(k);
  });
});
