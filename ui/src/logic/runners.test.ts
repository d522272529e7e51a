import { expect, test } from "vitest";
import { lateness } from "@/floor/soundCheck";
import { finds, isMine } from "./runners";

const squad = [
  { number: 1, name: "Ines Askvik" },
  { number: 11, name: "Inga Dahl" },
  { number: 12, name: "Pia Sörlund" },
];

test("a number means who wears it, letters whoever begins so, without accents", () => {
  const found = (typed: string) => finds(squad, typed).map((r) => r.number);
  expect(found("1")).toEqual([1]);
  expect(found("in")).toEqual([1, 11]);
  expect(found("ing")).toEqual([11]);
  expect(found("sor")).toEqual([12]);
  expect(found("ines a")).toEqual([1]);
  expect(found("x")).toEqual([]);
});

test("runners are shared out by number or by last name; what cannot be read shares out nobody", () => {
  const of = (range: string) => squad.filter((r) => isMine(r, range)).map((r) => r.number);
  expect(of("1-11")).toEqual([1, 11]);
  expect(of("A–D")).toEqual([1, 11]);
  expect(of("s-s")).toEqual([12]);
  expect(of("")).toEqual([1, 11, 12]);
  expect(of("the fast ones")).toEqual([1, 11, 12]);
});

test("how late a loudspeaker is comes from the taps of somebody who hears it", () => {
  const beeps = [1, 2, 3, 4, 5, 6, 7, 8];
  expect(lateness(beeps, [1.21, 2.19, 3.22, 4.2, 5.2])).toBe(200);
  expect(lateness(beeps, [0.98, 1.99, 2.97, 3.99])).toBe(0);
  expect(lateness(beeps, [1.2, 2.2, 3.2]), "too few").toBeNull();
});
