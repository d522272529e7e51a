import { createPinia, setActivePinia } from "pinia";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { RunView } from "@/api/types";
import type { Folds } from "@/core/folding";
import { useRun } from "./run";

/** The browser's core by hand: nothing in a browser that has none. */
let core: Folds | null = null;
vi.mock("@/core/core", () => ({ loadCore: async () => core }));

/** A live channel that says nothing by itself. */
class Silent {
  static all: Silent[] = [];
  readyState = 1;
  onopen = null;
  private heard: Record<string, (event: { data: string }) => void> = {};
  constructor(readonly url: string) {
    Silent.all.push(this);
  }
  addEventListener(what: string, heard: (event: { data: string }) => void) {
    this.heard[what] = heard;
  }
  close() {
    this.readyState = 2;
  }
  say(view: RunView) {
    this.heard.view?.({ data: JSON.stringify(view) });
  }
  tell(events: unknown[]) {
    this.heard.events?.({ data: JSON.stringify(events) });
  }
}

let n = 0;
let id = "";
const view = (revision: number, of: Partial<RunView> = {}): RunView =>
  ({
    id,
    revision,
    created_at: new Date().toISOString(),
    server_now: new Date().toISOString(),
    clock_rate: 1,
    closed: false,
    performers: [],
    state: { status: "running", started_at: new Date().toISOString(), undoable: [] },
    ...of,
  }) as unknown as RunView;

/** The server by hand: each request is answered by `answer`. */
let answer: (request: Request) => unknown;
const requests: string[] = [];
const says = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } });

beforeEach(() => {
  setActivePinia(createPinia());
  id = `store ${++n}`;
  core = null;
  Silent.all = [];
  requests.length = 0;
  vi.stubGlobal("EventSource", Silent);
  vi.stubGlobal(
    "fetch",
    vi.fn(async (request: Request) => {
      requests.push(`${request.method} ${new URL(request.url).pathname}`);
      const said = await answer(request);
      if (said instanceof Error) throw said;
      return said;
    }),
  );
});
afterEach(() => {
  useRun().close();
  vi.unstubAllGlobals();
});

test("a run that was set up here is not asked for again", async () => {
  answer = () => says(view(1));
  const run = useRun();
  run.begun(view(1), performance.now());
  await run.open({ run: id });
  expect(run.view?.id).toBe(id);
  expect(requests).toEqual([]);
});

test("a screen never goes back to an older view, whatever order answers arrive in", async () => {
  answer = () => says(view(5));
  const run = useRun();
  await run.open({ run: id });
  Silent.all[0]!.say(view(7));
  expect(run.view?.revision).toBe(7);
  Silent.all[0]!.say(view(6));
  expect(run.view?.revision).toBe(7);
});

test("what happens is there at once, and the answer of the server takes its place", async () => {
  answer = (request) => (request.method === "GET" ? says(view(1)) : says({ stored: 1, known: 0, late: 0, view: view(2) }));
  const run = useRun();
  await run.open({ run: id });
  const event = await run.record({ kind: "counted", input: "reps", by: 1 });
  expect(await run.settled(event)).toBe("kept");
  await vi.waitFor(() => expect(run.unsent).toBe(0));
  expect(run.view?.revision).toBe(2);
});

test("the end of a run is known by its own answer, not by what arrives before it", async () => {
  let said: (response: Response) => void = () => {};
  answer = (request) => (request.method === "GET" ? says(view(1)) : new Promise((done) => (said = done)));
  const run = useRun();
  await run.open({ run: id });
  const event = await run.record({ kind: "finished" });
  let fate = "";
  void run.settled(event).then((known) => (fate = known));
  await vi.waitFor(() => expect(requests.length).toBe(2));
  // The live channel is quicker than the answer.
  Silent.all[0]!.say(view(2, { closed: true }));
  await Promise.resolve();
  expect([run.view?.closed, fate]).toEqual([true, ""]);
  said(says({ stored: 1, known: 0, late: 0, view: view(2, { closed: true }) }));
  await vi.waitFor(() => expect(fate).toBe("kept"));
});

test("what is refused is told, and nothing of it stays", async () => {
  const no = { code: "out_of_range", message: "Higher than possible.", field: "value" };
  answer = (request) => (request.method === "GET" ? says(view(1)) : says(no, 422));
  const run = useRun();
  await run.open({ run: id });
  const event = await run.record({ kind: "taken", input: "waist_cm", value: 9999 });
  expect(await run.settled(event)).toBe("refused");
  expect(run.refused?.message).toBe("Higher than possible.");
  expect(run.aside.length).toBe(1);
  run.putAway(run.aside[0]!.event);
  expect(run.aside).toEqual([]);
});

test("with the network cut the run goes on from what was kept here", async () => {
  answer = () => says(view(4));
  const first = useRun();
  await first.open({ run: id });
  await vi.waitFor(async () => expect(first.view?.revision).toBe(4));
  await new Promise((later) => setTimeout(later, 30));
  first.close();
  setActivePinia(createPinia());
  answer = () => new Error("no network");
  const second = useRun();
  await second.open({ run: id });
  expect([second.view?.revision, second.away]).toEqual([4, true]);
  await second.record({ kind: "counted", input: "reps", by: 1 });
  expect(second.unsent).toBe(1);
});

test("undo pressed three times takes three steps back", async () => {
  const undoable = ["a", "b", "c"].map((event) => ({ event, what: event }));
  answer = (request) =>
    request.method === "GET" ? says(view(1, { state: { status: "running", started_at: null, undoable } } as never)) : new Promise(() => {});
  const run = useRun();
  await run.open({ run: id });
  expect(run.undoable).toBe("c");
  await run.undo();
  await run.undo();
  expect(run.undoable).toBe("a");
  await run.undo();
  expect(run.undoable).toBeNull();
});

/** A core that counts events, and takes no second stop. */
const counts: Folds = {
  begin: () => true as const,
  setUp: () => true as const,
  view: (events) => view(events.length),
  outcomes: () => [],
  beeps: () => null,
  beside: () => null,
  check: (_, event) => (event.kind === "stopped" ? { code: "run_over", message: "It is over.", field: "kind" } : null),
};
const log = (n: number) => ({
  facts: {},
  earlier: {},
  today: "2026-11-23",
  events: Array.from({ length: n }, (_, k) => ({ id: `stored ${k}`, kind: "tap" })),
});
const served = (n: number) => (request: Request) => (request.url.endsWith("/log") ? says(log(n)) : says(view(n)));

test("with the network cut an entry counts at once, is refused at once, and counts after a reload", async () => {
  core = counts;
  answer = served(4);
  const first = useRun();
  await first.open({ run: id });
  await vi.waitFor(() => expect(requests.at(-1)).toContain("/log"));
  await new Promise((later) => setTimeout(later, 30));
  answer = () => new Error("no network");
  await first.record({ kind: "counted", input: "reps", by: 1 });
  expect(first.view?.revision).toBe(5);
  const refused = await first.record({ kind: "stopped" });
  expect([await first.settled(refused), first.refused?.message, first.view?.revision]).toEqual(["refused", "It is over.", 5]);
  await new Promise((later) => setTimeout(later, 30));
  first.close();
  setActivePinia(createPinia());
  const second = useRun();
  await second.open({ run: id });
  await vi.waitFor(() => expect(second.view?.revision).toBe(5));
  expect(second.unsent).toBe(1);
});

test("another screen’s events arrive beside this screen’s own", async () => {
  core = counts;
  const silent = (n: number) => (request: Request) => (request.method === "POST" ? new Promise(() => {}) : served(n)(request));
  answer = silent(2);
  const run = useRun();
  await run.open({ run: id });
  await vi.waitFor(() => expect(requests.some((r) => r.endsWith("/log"))).toBe(true));
  await new Promise((later) => setTimeout(later, 10));
  await run.record({ kind: "counted", input: "reps", by: 1 });
  expect(run.view?.revision).toBe(3);
  Silent.all[0]!.tell([{ id: "other", kind: "tap" }]);
  Silent.all[0]!.say(view(3));
  expect(run.view?.revision).toBe(4);
  // One was missed: what is stored is asked for, and meanwhile the server's word stands.
  answer = silent(5);
  Silent.all[0]!.say(view(5));
  expect(run.view?.revision).toBe(5);
  await vi.waitFor(() => expect(run.view?.revision).toBe(6));
});
