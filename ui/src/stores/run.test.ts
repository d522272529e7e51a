import { createPinia, setActivePinia } from "pinia";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { RunView } from "@/api/types";
import { useRun } from "./run";

/** A live channel that says nothing by itself. */
class Silent {
  static all: Silent[] = [];
  readyState = 1;
  onopen = null;
  private heard: (event: { data: string }) => void = () => {};
  constructor(readonly url: string) {
    Silent.all.push(this);
  }
  addEventListener(_: string, heard: (event: { data: string }) => void) {
    this.heard = heard;
  }
  close() {
    this.readyState = 2;
  }
  say(view: RunView) {
    this.heard({ data: JSON.stringify(view) });
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
