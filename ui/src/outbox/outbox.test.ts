import { beforeEach, expect, test } from "vitest";
import { Failure } from "@/api/client";
import type { RunEvent } from "@/api/types";
import { Outbox } from "./outbox";
import * as queue from "./queue";

let n = 0;
let run = "";
beforeEach(() => (run = `outbox ${++n}`));

const away = () => new Failure(0, "offline", "The server does not answer.");
const wrong = (message: string) => new Failure(422, "out_of_range", message, "value");
const gap = (expected: number) => new Failure(409, "sequence_gap", "A gap.", undefined, { expected });

/** A server as the test wants it: it answers each batch, or throws. */
function with_(answer: (events: RunEvent[], nth: number) => unknown) {
  const sent: string[][] = [];
  const refused: string[] = [];
  const kept: string[] = [];
  const counts: number[] = [];
  const box = new Outbox<unknown>(run, queue, {
    post: async (_, events) => {
      sent.push(events.map((e) => `${e.id}#${e.seq}`));
      const said = await answer(events, sent.length);
      if (said instanceof Failure) throw said;
      return said;
    },
    kept: (events) => kept.push(...events.map((e) => e.id)),
    refused: (event, failure) => refused.push(`${event.id}: ${failure.message}`),
    waiting: (count) => counts.push(count),
    held: () => undefined,
  });
  const add = (id: string, kind: RunEvent["kind"] = "tap") =>
    box.add({ kind, id: `${run} ${id}`, mono_ms: 0, wall: new Date().toISOString() } as never);
  const names = (all: string[]) => all.map((id) => id.replace(`${run} `, ""));
  return { box, add, sent: () => sent.map(names), refused: () => names(refused), kept: () => names(kept), counts };
}

test("events go in the order of their keys, each with the next number", async () => {
  const { box, add, sent, kept } = with_(() => "taken");
  for (const id of ["a", "b", "c"]) await add(id, "value_typed");
  await box.send();
  expect(sent().flat()).toEqual(["a#1", "b#2", "c#3"]);
  expect(kept()).toEqual(["a", "b", "c"]);
});

test("three keys at once get three numbers and none is lost", async () => {
  const { box, add, kept } = with_(() => "taken");
  await Promise.all(["a", "b", "c"].map((id) => add(id, "value_typed")));
  await box.send();
  expect(kept().sort()).toEqual(["a", "b", "c"]);
});

test("with the network cut everything waits, and goes in its order once it is back", async () => {
  let cut = true;
  const { box, add, sent, kept, counts } = with_(() => (cut ? away() : "taken"));
  for (const id of ["a", "b"]) await add(id, "value_typed");
  await box.send();
  expect(kept()).toEqual([]);
  expect(counts.at(-1)).toBe(2);
  cut = false;
  await box.send();
  expect(kept()).toEqual(["a", "b"]);
  expect(sent().at(-1)).toEqual(["b#2"]);
  expect(counts.at(-1)).toBe(0);
});

test("an answer that was lost on its way back: the same event goes once more, by the same number", async () => {
  const { box, add, sent, kept } = with_((_, nth) => (nth === 1 ? away() : "known already"));
  await add("a", "value_typed");
  await box.send();
  await box.send();
  expect(sent()).toEqual([["a#1"], ["a#1"]]);
  expect(kept()).toEqual(["a"]);
});

test("taps go together, and what may be refused goes alone", async () => {
  let hold: () => void = () => {};
  const first = new Promise<void>((go) => (hold = go));
  const { box, add, sent } = with_(async (_, nth) => (nth === 1 ? await first : "taken"));
  await add("start", "clock_started");
  for (const id of ["t1", "t2", "t3"]) await add(id);
  await add("v", "value_typed");
  hold();
  await box.send();
  expect(sent()).toEqual([["start#1"], ["t1#2", "t2#3", "t3#4"], ["v#5"]]);
});

test("what is refused is taken out and told; what comes behind it moves up", async () => {
  const { box, add, sent, refused, kept } = with_((events) => (events[0]!.id.endsWith("bad") ? wrong("too high") : "taken"));
  await add("good", "value_typed");
  await add("bad", "value_typed");
  await box.send();
  await add("next", "value_typed");
  await box.send();
  expect(refused()).toEqual(["bad: too high"]);
  expect(kept()).toEqual(["good", "next"]);
  expect(sent().at(-1)).toEqual(["next#2"]);
});

test("of a batch that is refused only the one that is wrong is taken out", async () => {
  let hold: () => void = () => {};
  const first = new Promise<void>((go) => (hold = go));
  const { box, add, refused, kept } = with_(async (events, nth) => {
    if (nth === 1) await first;
    return events.some((e) => e.id.endsWith("t2")) ? wrong("no such tap") : "taken";
  });
  await add("start", "clock_started");
  for (const id of ["t1", "t2", "t3"]) await add(id);
  hold();
  await box.send();
  expect(refused()).toEqual(["t2: no such tap"]);
  expect(kept()).toEqual(["start", "t1", "t3"]);
});

test("a gap in the sequence is closed from the number the server expects", async () => {
  let cut = true;
  const { box, add, sent, kept } = with_((events) =>
    cut ? away() : events[0]!.seq > kept().length + 1 ? gap(kept().length + 1) : "taken",
  );
  await add("lost", "value_typed");
  await box.send();
  const [lost] = await queue.waiting(run);
  await queue.done(run, lost!);
  cut = false;
  await add("b", "value_typed");
  await box.send();
  expect(sent().slice(-2)).toEqual([["b#2"], ["b#1"]]);
  await add("c", "value_typed");
  await box.send();
  expect(sent().at(-1)).toEqual(["c#2"]);
});

test("a page that went away in mid-key: the next one sends what it left", async () => {
  const before = with_(() => away());
  await before.add("left behind", "value_typed");
  await before.box.send();
  const after = with_(() => "taken");
  expect((await after.box.recover()).map((e) => e.kind)).toEqual(["value_typed"]);
  expect(after.sent()).toEqual([]);
  await after.box.send();
  expect(after.kept()).toEqual(["left behind"]);
});

test("what one screen cannot send does not hold up another", async () => {
  const first = with_(() => away());
  await first.add("stuck", "value_typed");
  await first.box.send();
  const second = with_((events) => (events[0]!.id.endsWith("stuck") ? away() : "taken"));
  await second.add("mine", "value_typed");
  await second.box.send();
  expect(second.kept()).toEqual(["mine"]);
});

test("the fate of an event is known once the server has answered for it, and not before", async () => {
  let answer: (said: unknown) => void = () => {};
  const { box, add } = with_(() => new Promise((said) => (answer = said)));
  await add("finish", "finished");
  let fate = "";
  void box.settled(`${run} finish`).then((known) => (fate = known));
  await new Promise((later) => setTimeout(later, 20));
  expect(fate).toBe("");
  answer("taken");
  await box.send();
  await Promise.resolve();
  expect(fate).toBe("kept");
});

test("a finish that is refused is known to be", async () => {
  const { box, add } = with_(() => wrong("a reading is missing"));
  await add("finish", "finished");
  expect(await box.settled(`${run} finish`)).toBe("refused");
});

test("of what was answered long ago nothing is waited for", async () => {
  const { box } = with_(() => "taken");
  expect(await box.settled("unknown")).toBe("kept");
});

test("signed out, nothing is lost: it is sent again after signing in", async () => {
  let signedOut = true;
  const { box, add, kept } = with_(() => (signedOut ? new Failure(401, "signed_out", "Sign in.") : "taken"));
  await add("a", "value_typed");
  await box.send();
  expect(kept()).toEqual([]);
  signedOut = false;
  await box.send();
  expect(kept()).toEqual(["a"]);
});

/** A server that holds entries to the rules of a run's log: a screen has one owner, a number one entry, a key one content. */
function log() {
  const entries: RunEvent[] = [];
  const owners = new Map<string, string>();
  const last = (device: string) => Math.max(0, ...entries.filter((e) => e.device === device).map((e) => e.seq));
  const taken = (code: string, expected: number) => new Failure(409, code, "Sent again.", undefined, { expected });
  const post = (who: string, events: RunEvent[]) => {
    const added: RunEvent[] = [];
    for (const event of events) {
      if ((owners.get(event.device) ?? who) !== who) return new Failure(403, "screen_elsewhere", "Somebody else’s.");
      const held = entries.find((e) => e.id === event.id);
      if (held && held.mono_ms === event.mono_ms) continue;
      if (held) return new Failure(409, "event_elsewhere", "Another entry has this key.");
      const next = last(event.device) + added.filter((e) => e.device === event.device).length + 1;
      if (event.seq !== next) return taken(event.seq < next ? "sequence_taken" : "sequence_gap", next);
      added.push(event);
    }
    for (const event of added) owners.set(event.device, who);
    entries.push(...added);
    return "taken";
  };
  return { entries, post };
}

test("an entry whose number another one has goes under the next free number, and what waits behind it too", async () => {
  const server = log();
  const { box, add, kept } = with_((events) => server.post("coach", events));
  await add("a", "value_typed");
  await box.send();
  // Another page of this browser, or whoever it was, wrote the second.
  server.post("coach", [{ ...server.entries[0]!, id: "theirs", seq: 2 }]);
  await add("b", "value_typed");
  await add("c", "value_typed");
  await box.send();
  expect(kept()).toEqual(["a", "b", "c"]);
  expect(server.entries.map((e) => `${e.id.replace(`${run} `, "")}#${e.seq}`)).toEqual(["a#1", "theirs#2", "b#3", "c#4"]);
});

test("a screen whose name somebody else writes with goes on under a name of its own", async () => {
  const server = log();
  const { box, add, kept } = with_((events) => server.post("coach", events));
  server.post("intruder", [{ id: "x", device: box.device, seq: 1, mono_ms: 0 } as RunEvent]);
  const was = box.device;
  await add("a", "value_typed");
  await add("b", "value_typed");
  await box.send();
  await add("c", "value_typed");
  await box.send();
  expect(kept()).toEqual(["a", "b", "c"]);
  expect(box.device).not.toBe(was);
  expect(server.entries.slice(1).map((e) => e.seq)).toEqual([1, 2, 3]);
});

test("an entry whose key another one has goes under a new one, also where it is taken back", async () => {
  const server = log();
  const { box, sent } = with_((events) => server.post("coach", events));
  const add = (id: string, more: object) => box.add({ id, mono_ms: 7, wall: new Date().toISOString(), ...more } as never);
  server.post("intruder", [{ id: `${run} a`, device: "theirs", seq: 1, mono_ms: 0 } as RunEvent]);
  await add(`${run} a`, { kind: "value_typed" });
  await add(`${run} b`, { kind: "undone", event: `${run} a` });
  await box.send();
  const [, typed, undone] = server.entries;
  expect(server.entries.length).toBe(3);
  expect(typed!.id).not.toBe(`${run} a`);
  expect(undone).toMatchObject({ kind: "undone", event: typed!.id });
  expect(await box.settled(`${run} a`)).toBe("kept");
  expect(sent().length).toBeGreaterThan(2);
});

test("whatever lines break and whoever writes beside: what is typed is in the log once, in the order of its screen", async () => {
  // A small generator of numbers, so that a run that fails can be repeated.
  const dice = (seed: number) => () => (seed = (seed * 48_271) % 2_147_483_647) / 2_147_483_647;
  for (let seed = 1; seed <= 40; seed++) {
    run = `storm ${seed}`;
    const chance = dice(seed);
    const server = log();
    const line = (who: string) => (events: RunEvent[]) => {
      const luck = chance();
      if (luck < 0.15) return away();
      const said = server.post(who, events);
      return luck < 0.3 ? away() : said;
    };
    // Two pages of one browser, which share what waits, and a second coach's.
    const pages = [with_(line("coach")), with_(line("coach")), with_(line("other"))];
    const typed: string[][] = [[], [], []];
    for (let k = 0; k < 30; k++) {
      const nth = Math.floor(chance() * 3);
      const id = `${nth} ${k}`;
      typed[nth]!.push(id);
      await pages[nth]!.box.add({ id: `${run} ${id}`, kind: "noted", text: id, mono_ms: k, wall: new Date().toISOString() } as never);
      if (chance() < 0.3) {
        const device = pages[Math.floor(chance() * 3)]!.box.device;
        const seq = 1 + Math.floor(chance() * 12);
        server.post(chance() < 0.5 ? "intruder" : "coach", [{ id: `x ${k}`, device, seq, mono_ms: 0 } as RunEvent]);
      }
      if (chance() < 0.4) await Promise.all(pages.map(({ box }) => box.send()));
    }
    for (let tries = 0; (await queue.waiting(run)).length > 0 && tries < 200; tries++)
      await Promise.all(pages.map(({ box }) => box.send()));
    const words = server.entries.map((e) => (e as { text?: string }).text).filter((text) => text !== undefined);
    for (const [nth, own] of typed.entries())
      expect(
        words.filter((text) => text.startsWith(`${nth} `)),
        `seed ${seed}`,
      ).toEqual(own);
  }
});
