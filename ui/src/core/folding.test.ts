import { expect, test } from "vitest";
import type { RunEvent, RunView } from "@/api/types";
import { Folding, type Folds } from "./folding";

const event = (id: string) => ({ id, kind: "tap", device: "d", seq: 1, wall: "2026-11-23T09:00:00Z", mono_ms: 0 }) as RunEvent;
const said = (revision: number, closed = false) => ({ revision, closed }) as RunView;

/** A core that says which events it was asked with. */
function byHand(begins = true) {
  const asked: string[][] = [];
  const core: Folds = {
    begin: () => begins,
    setUp: () => begins || { code: "x", message: "not so" },
    view: (events) => {
      asked.push(events.map((e) => e.id));
      return said(events.length);
    },
    beeps: () => null,
    beside: (events, slot) => ({ slot, done: events.length, taken: [] }),
    outcomes: (events) => [{ slot: 0, name: "", headline: `of ${events.length}`, changes: [] }],
    check: (events, one) => (one.id === "bad" ? { code: "x", message: `after ${events.length}` } : null),
  };
  return { core, asked };
}

test("what the server does not know yet counts at once, each event once", () => {
  const { core, asked } = byHand();
  const folding = Folding.of(core, { facts: {}, earlier: {}, today: "2026-11-23", events: [event("a")] })!;
  expect(folding.view(said(1), [event("b"), event("a")], 0).revision).toBe(2);
  expect(folding.outcomes([event("b"), event("a")])[0]!.headline).toBe("of 2");
  expect(asked).toEqual([["a", "b"]]);
});

test("with nothing of its own a screen shows what the server said", () => {
  const { core, asked } = byHand();
  const folding = Folding.of(core, { facts: {}, earlier: {}, today: "2026-11-23", events: [event("a")] })!;
  const view = said(1);
  expect(folding.view(view, [event("a")], 0)).toBe(view);
  expect(asked).toEqual([]);
});

test("where another screen’s event is missing here, or the run is closed, the server’s word stands", () => {
  const { core } = byHand();
  const folding = Folding.of(core, { facts: {}, earlier: {}, today: "2026-11-23", events: [event("a")] })!;
  const ahead = said(2);
  expect(folding.isUpTo(ahead)).toBe(false);
  expect(folding.view(ahead, [event("b")], 0)).toBe(ahead);
  expect(folding.check(ahead, [], event("bad"), 0)).toBeNull();
  folding.take([event("other")]);
  expect(folding.view(ahead, [event("b")], 0).revision).toBe(3);
  const closed = said(3, true);
  expect(folding.isUpTo(closed)).toBe(true);
  expect(folding.view(closed, [event("b")], 0)).toBe(closed);
});

test("an event is held to what came before it, sent or not", () => {
  const folding = Folding.of(byHand().core, { facts: {}, earlier: {}, today: "2026-11-23", events: [event("a")] })!;
  expect(folding.check(said(1), [event("b"), event("a")], event("bad"), 0)?.message).toBe("after 2");
  expect(folding.check(said(1), [], event("good"), 0)).toBeNull();
});

test("a core that cannot read how the run was set up is not used, and one that cannot tell leaves the server’s view", () => {
  expect(Folding.of(byHand(false).core, { facts: {}, earlier: {}, today: "2026-11-23", events: [] })).toBeNull();
  const folding = Folding.of({ ...byHand().core, view: () => null }, { facts: {}, earlier: {}, today: "2026-11-23", events: [] })!;
  const view = said(0);
  expect(folding.view(view, [event("b")], 0)).toBe(view);
});

test("a partner’s phone tells of the one it counts for, and of others only that something happened", () => {
  const { core } = byHand();
  const log = { facts: {}, earlier: {}, today: "2026-11-23", events: [event("start")], hidden: ["of another"] };
  const folding = Folding.of(core, log)!;
  const performers = [{ slot: 0 }, { slot: 1, reading: null, decision: null }];
  const view = { ...said(2), performers } as unknown as RunView;
  expect(folding.isUpTo(view)).toBe(true);
  expect(folding.beside(view, [])).toBe(view);
  expect(folding.beside(view, [{ ...event("own"), slot: 1 }]).beside).toMatchObject({ slot: 1, done: 2 });
  // Something happened that this phone has not heard of: the server’s word stands, until it has.
  const ahead = { ...view, revision: 3 };
  expect(folding.beside(ahead, [{ ...event("own"), slot: 1 }])).toBe(ahead);
  folding.take([], ["of a third"]);
  expect(folding.beside(ahead, [{ ...event("own"), slot: 1 }]).beside).toMatchObject({ done: 2 });
  expect(folding.log.hidden).toEqual(["of another", "of a third"]);
});

test("a decision about a pulse is the server’s: it stands only for the count it was made of", () => {
  const { core } = byHand();
  const reading = (bpm: number | null) => ({ bpm }) as RunView["performers"][number]["reading"];
  const counted: Folds = {
    ...core,
    beside: (_, slot) => ({ slot, done: 0, taken: [], reading: reading(132) }) as ReturnType<Folds["beside"]>,
  };
  const folding = Folding.of(counted, { facts: {}, earlier: {}, today: "2026-11-23", events: [] })!;
  const view = (bpm: number) =>
    ({ ...said(0), performers: [{ slot: 0, reading: reading(bpm), decision: { because: "so" } }] }) as unknown as RunView;
  const own = [{ ...event("own"), slot: 0 }];
  expect(folding.beside(view(132), own).performers[0]!.decision).toEqual({ because: "so" });
  expect(folding.beside(view(120), own).performers[0]!.decision).toBeNull();
});
