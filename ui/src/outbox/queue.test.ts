import { beforeEach, expect, test } from "vitest";
import type { RunEvent } from "@/api/types";
import * as queue from "./queue";

let run = "";
let n = 0;
beforeEach(() => {
  run = `run ${++n}`;
  localStorage.clear();
});

const event = (seq: number, device = "a", second = seq) =>
  ({
    id: `${run} ${device} ${seq}`,
    device,
    seq,
    mono_ms: second * 1000,
    wall: new Date(Date.now() - 60_000 + second * 1000).toISOString(),
    kind: "tap",
  }) as RunEvent;

const seqs = async () => (await queue.waiting(run)).map((events) => events.map((e) => `${e.device}${e.seq}`));

test("what is kept waits in the sequence of its screen, whatever came first", async () => {
  for (const seq of [3, 1, 2]) await queue.keep(run, event(seq));
  expect(await seqs()).toEqual([["a1", "a2", "a3"]]);
});

test("screens do not wait for each other, and the one that began first is in front", async () => {
  await queue.keep(run, event(1, "b", 30));
  await queue.keep(run, event(1, "a", 20));
  await queue.keep(run, event(2, "a", 40));
  expect(await seqs()).toEqual([["a1", "a2"], ["b1"]]);
});

test("of another run nothing is seen", async () => {
  await queue.keep("elsewhere", event(1));
  expect(await seqs()).toEqual([]);
});

test("what the server has waits no more", async () => {
  for (const seq of [1, 2, 3]) await queue.keep(run, event(seq));
  await queue.done(run, [event(1), event(2)]);
  expect(await seqs()).toEqual([["a3"]]);
});

test("an event that is taken out leaves no gap behind it", async () => {
  for (const seq of [1, 2, 3]) await queue.keep(run, event(seq));
  await queue.keep(run, event(5, "b"));
  await queue.withdraw(run, event(2));
  expect(await seqs()).toEqual([["a1", "a2"], ["b5"]]);
});

test("a gap before what waits is closed from the number that is expected", async () => {
  for (const seq of [5, 6]) await queue.keep(run, event(seq));
  await queue.renumber(run, "a", 3);
  expect(await seqs()).toEqual([["a3", "a4"]]);
});

test("what was on its way when the page went is taken in once", async () => {
  const lost = event(2);
  await queue.keep(run, event(1));
  localStorage.setItem(`impulso.kept.${lost.id}`, JSON.stringify({ run, event: lost }));
  localStorage.setItem(`impulso.kept.${event(1).id}`, JSON.stringify({ run, event: event(1) }));
  await queue.recover(run);
  await queue.recover(run);
  expect(await seqs()).toEqual([["a1", "a2"]]);
  expect(Object.keys(localStorage)).toEqual([]);
});

test("what is on its way to another run is left to it, unless it is of yesterday", async () => {
  const old = { ...event(1), id: "old", wall: "2020-01-01T00:00:00Z" };
  localStorage.setItem("impulso.kept.new", JSON.stringify({ run: "another", event: event(1) }));
  localStorage.setItem("impulso.kept.old", JSON.stringify({ run: "another", event: old }));
  await queue.recover(run);
  expect(Object.keys(localStorage)).toEqual(["impulso.kept.new"]);
});

test("a run is remembered as it was last seen, for a day", async () => {
  const seen = (door: string, at: number) => ({ door, view: { id: door } as never, offset: 12, at });
  await queue.remember(seen("yesterday", 1_000));
  await queue.remember(seen("today", 1_000 + 25 * 3600 * 1000));
  expect((await queue.restore("today"))?.offset).toBe(12);
  expect(await queue.restore("yesterday")).toBeUndefined();
});
