import { expect, test } from "vitest";
import { twice } from "./beeps.test-course";
import { onTheWay, whereIs } from "./squad";

const one = (late_s: number[]) => onTheWay(twice, [{ slot: 0, lane: 0, late_s }])[0]!;
const at = (late_s: number[], s: number) => whereIs(twice, one(late_s), s);

test("a runner who is in time is where the dot is, and an early one ahead of it", () => {
  expect(at([0, 0], 3.6).at).toBeCloseTo(10);
  expect(at([0, 0], 7.2).at).toBeCloseTo(20);
  expect(at([0, 0], 10.8).at).toBeCloseTo(10);
  expect(at([-0.4, 0], 3.6).at).toBeGreaterThan(10);
});

test("a late one is metres short of the line when it beeps, and sets off again with the others", () => {
  const short = at([1.2, 0], 14.4);
  expect(short.at).toBeGreaterThan(1.5);
  expect(short).toMatchObject({ stopped: false });
  expect(at([1.2, 0], 15.6).at).toBeCloseTo(0);
  expect(at([1.2, 0], 28).at).toBeCloseTo(10);
});

test("whoever has stopped stands at the last line, and does not set off again", () => {
  expect(at([0.2], 14.5)).toMatchObject({ stopped: false });
  expect(at([0.2], 14.7)).toEqual({ at: 0, stopped: true });
  expect(at([0.2], 28)).toEqual({ at: 0, stopped: true });
  expect(at([], 0)).toEqual({ at: 0, stopped: true });
});
