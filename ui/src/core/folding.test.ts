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
