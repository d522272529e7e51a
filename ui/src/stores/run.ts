import { defineStore } from "pinia";
import { v7 as uuid } from "uuid";
import { computed, ref, shallowRef } from "vue";
import { api, asFailure, take, type Failure } from "@/api/client";
import type { Kind, RunEvent, RunView } from "@/api/types";
import { TrueClock } from "@/floor/clock";
import * as queue from "@/floor/queue";

/** Tries again where the server was away, and looks where the live channel is silent. */
const LOOK_EVERY_MS = 2000;
/** Without a word on the live channel for so long, it is asked anew. */
const SILENT_MS = 25_000;
/** Events that depend on nothing go many at a time. */
const TOGETHER = new Set(["tap", "strap_heard"]);
/** Numbers come back into the field they were typed in. */
const TYPED = new Set(["count_typed", "heart_rate_read", "heart_rate_counted", "value_typed"]);

/** What is not taken back by undo. */
const STANDS = new Set(["undone", "tap", "strap_heard", "clock_started", "finished", "discarded", "stop_explained"]);

/** Where a run is found: by its key for a coach, by its code for a partner. */
export type Door = { run: string } | { code: string };

/** The run on this screen: what the server knows of it, and what waits here to be sent. */
export const useRun = defineStore("run", () => {
  const clock = new TrueClock();
  const view = shallowRef<RunView | null>(null);
  const failure = shallowRef<Failure | null>(null);
  /** What the server refused, with its words; the entry it belongs to shows it. */
  const refused = shallowRef<{ event: RunEvent; message: string; field?: string } | null>(null);
  /** Everything that was refused and is not in a field again: kept here until it is put away. */
  const aside = shallowRef<{ event: RunEvent; message: string }[]>([]);
  /** Readings that came after another screen had closed the run. */
  const late = ref(0);
  const unsent = ref(0);
  const away = ref(false);
  /** The start as this screen saw it, until the server has it too. */
  const startedHere = ref<number | null>(null);

  let door: Door = { run: "" };
  let device = uuid();
  let seq = 0;
  let sending: Promise<void> | null = null;
  let again = false;
  /** A gap that is being closed: no number is given out until it is. */
  let closing: Promise<unknown> | null = null;
  const closeGap = async (work: () => Promise<void>) => {
    while (closing) await closing;
    const done = work().finally(() => (closing = null));
    closing = done.catch(() => undefined);
    return done;
  };
  /** Events on their way into the queue, in their order. */
  let keeping = 0;
  /** The revision that is kept on this screen. */
  let kept = -1;
  let timer: number | undefined;
  let live: EventSource | null = null;
  let heardAt = 0;

  /** What this screen did and the server does not know yet, and what it took back: undo goes on from there, answered or not. */
  const own = shallowRef<RunEvent[]>([]);
  const takenBack = shallowRef(new Set<string>());
  const last = computed(() => {
    const here = own.value.filter((e) => !STANDS.has(e.kind) && !takenBack.value.has(e.id)).at(-1);
    const there = (view.value?.state.undoable ?? []).filter((u) => !takenBack.value.has(u.event)).at(-1);
    return here ? { event: here.id, what: there?.event === here.id ? there.what : "the last entry" } : (there ?? null);
  });
  /** What undo would take back, in words. */
  const undoable = computed(() => last.value?.what ?? null);
  /** Takes the newest step back; pressed three times in a row, three. */
  async function undo() {
    if (!last.value) return;
    const { event } = last.value;
    takenBack.value = new Set([...takenBack.value, event]);
    await happened({ kind: "undone", event });
  }

  const startedAt = computed(() => (view.value?.state.started_at ? Date.parse(view.value.state.started_at) : startedHere.value));

  /** The run's clock now, milliseconds since 1970. */
  function now(): number {
    const real = clock.now();
    if (!view.value) return real;
    const zero = Date.parse(view.value.created_at);
    return zero + (real - zero) * view.value.clock_rate;
  }

  /** Milliseconds since the start of the count-in; 0 before. */
  const elapsed = () => (startedAt.value === null ? 0 : Math.max(0, now() - startedAt.value));

  async function open(at: Door) {
    close();
    [view.value, failure.value, refused.value, late.value, startedHere.value] = [null, null, null, 0, null];
    [device, seq, door, aside.value, kept] = [uuid(), 0, at, [], -1];
    [own.value, takenBack.value] = [[], new Set()];
    await look();
    if (!view.value && away.value) await recall();
    await goOn();
    listen();
    timer = window.setInterval(() => void tick(), LOOK_EVERY_MS);
  }

  /** What this screen, or one that went away in mid-key, has not sent yet. */
  async function goOn() {
    if (!view.value) return;
    await queue.recover(view.value.id).catch(() => undefined);
    await send();
  }

  const doorKey = () => ("run" in door ? door.run : `code ${door.code}`);

  /** Nothing answers: the run as this screen last saw it goes on. */
  async function recall() {
    const seen = await queue.recall(doorKey()).catch(() => undefined);
    if (!seen || view.value) return;
    clock.assume(seen.offset);
    [view.value, failure.value] = [seen.view, null];
  }

  function close() {
    window.clearInterval(timer);
    live?.close();
    live = null;
  }

  /** Every change of the run arrives by itself; the browser opens the channel again where it broke. */
  function listen() {
    live?.close();
    live = new EventSource("run" in door ? `/api/runs/${door.run}/live` : `/api/join/${encodeURIComponent(door.code)}/live`);
    heardAt = performance.now();
    live.addEventListener("view", (event) => {
      heardAt = performance.now();
      const next = JSON.parse((event as MessageEvent<string>).data) as RunView;
      // What this screen sent itself came back with the answer already.
      if (!view.value || next.id !== view.value.id || next.revision > view.value.revision) show(next);
      away.value = false;
    });
    live.onopen = () => (heardAt = performance.now());
  }

  async function tick() {
    void remember();
    if (unsent.value > 0) await send();
    if (closed() || document.hidden) return;
    if (live?.readyState !== EventSource.OPEN) await look();
    else if (performance.now() - heardAt > SILENT_MS) {
      heardAt = performance.now();
      await look();
    }
    if (live?.readyState === EventSource.CLOSED) listen();
  }

  const closed = () => view.value?.closed === true;

  async function look() {
    const sent = performance.now();
    try {
      const answer = await take(
        "run" in door
          ? api.GET("/api/runs/{id}", { params: { path: { id: door.run } } })
          : api.GET("/api/join/{code}", { params: { path: { code: door.code } } }),
      );
      show(answer, sent);
      failure.value = null;
    } catch (error) {
      const problem = asFailure(error);
      away.value = problem.isAway;
      if (!view.value) failure.value = problem;
    }
  }

  /** Takes a view in, unless a newer one is there already. `sent`: when it was asked for, to learn the server's time. */
  function show(next: RunView, sent?: number) {
    if (sent !== undefined) clock.learn(next.server_now, sent, performance.now());
    away.value = false;
    if (!view.value || next.id !== view.value.id || next.revision >= view.value.revision) view.value = next;
    if (kept < 0) void remember();
  }

  /** Keeps the run as it is now, where it has changed; a screen that cannot is no worse off than before. */
  async function remember() {
    const now = view.value;
    if (!now || now.revision === kept) return;
    kept = now.revision;
    await queue.remember({ door: doorKey(), view: now, offset: clock.ahead, at: Date.now() }).catch(() => undefined);
  }

  /** Something happened: kept here first, then sent. The answer is the event's id. `slot`: to which of many. */
  async function happened(kind: Kind, slot?: number, atMs?: number): Promise<string> {
    const wall = atMs !== undefined && startedAt.value !== null ? startedAt.value + atMs : now();
    const event: RunEvent = {
      ...kind,
      id: uuid(),
      device,
      seq: 0,
      mono_ms: performance.now() * (view.value?.clock_rate ?? 1),
      wall: new Date(wall).toISOString(),
      ...(slot === undefined ? {} : { slot }),
    };
    if (kind.kind === "clock_started") startedHere.value = Date.parse(event.wall);
    if (!view.value) return event.id;
    own.value = [...own.value, event];
    unsent.value++;
    keeping++;
    const run = view.value.id;
    while (closing) await closing;
    event.seq = ++seq;
    await queue.keep(run, event);
    keeping--;
    void send();
    return event.id;
  }

  function send(): Promise<void> {
    again = true;
    sending ??= drain().finally(() => (sending = null));
    return sending;
  }

  async function drain() {
    while (again && view.value) {
      again = false;
      const run = view.value.id;
      const stuck = new Set<string>();
      for (;;) {
        const next = (await queue.waiting(run)).find((events) => !stuck.has(events[0]!.device));
        if (!next) break;
        // What one screen cannot send now does not hold up another's.
        if (!(await hand(run, batch(next)))) stuck.add(next[0]!.device);
      }
      // What is on its way into the queue waits too; counted twice for a moment rather than not at all.
      const then = keeping;
      const inside = (await queue.waiting(run)).reduce((n, events) => n + events.length, 0);
      unsent.value = inside + Math.max(then, keeping);
    }
  }

  /** Set once a batch was refused: its events go one by one, so that only the one that is wrong is taken out. */
  let oneByOne = 0;

  /** One screen's events: taps and a strap's seconds together, anything the server may refuse alone. */
  function batch(waiting: RunEvent[]): RunEvent[] {
    const first = waiting[0]!;
    if (!TOGETHER.has(first.kind) || oneByOne > 0) return [first];
    const end = waiting.findIndex((e) => !TOGETHER.has(e.kind));
    return waiting.slice(0, end === -1 ? undefined : end).slice(0, 100);
  }

  /** Hands events of one screen over; says whether to go on with it. */
  async function hand(run: string, events: RunEvent[]): Promise<boolean> {
    const sent = performance.now();
    const body = { events, sent_at: new Date(now()).toISOString() };
    try {
      const answer = await take(
        "run" in door
          ? api.POST("/api/runs/{id}/events", { params: { path: { id: run } }, body })
          : api.POST("/api/join/{code}/events", { params: { path: { code: door.code } }, body }),
      );
      await queue.done(run, events);
      own.value = own.value.filter((one) => !events.some((e) => e.id === one.id));
      oneByOne = Math.max(0, oneByOne - 1);
      show(answer.view, sent);
      late.value += answer.late;
      return true;
    } catch (error) {
      const problem = asFailure(error);
      if (problem.mayPass) {
        away.value = problem.isAway;
        return false;
      }
      const event = events[0]!;
      const expected = (problem.detail as { expected?: number } | undefined)?.expected;
      if (problem.code === "sequence_gap" && expected !== undefined && expected < event.seq) {
        await closeGap(async () => {
          await queue.renumber(run, event.device, event.seq, expected);
          if (event.device === device) seq += expected - event.seq;
        });
        return true;
      }
      if (events.length > 1) {
        oneByOne = events.length;
        return true;
      }
      own.value = own.value.filter((one) => one.id !== event.id);
      if (event.kind === "undone") takenBack.value = new Set([...takenBack.value].filter((id) => id !== event.event));
      // It will never succeed: taken out and shown, and what comes behind it goes on.
      refused.value = { event, message: problem.message, field: problem.field };
      if (!TYPED.has(event.kind)) aside.value = [...aside.value, { event, message: problem.message }].slice(-5);
      await closeGap(async () => {
        await queue.withdraw(run, event);
        if (event.device === device) seq--;
      });
      return true;
    }
  }

  function putAway(event: RunEvent) {
    aside.value = aside.value.filter((one) => one.event.id !== event.id);
  }

  return {
    undoable,
    undo,
    view,
    failure,
    refused,
    aside,
    putAway,
    late,
    unsent,
    away,
    startedAt,
    now,
    elapsed,
    open,
    close,
    happened,
    send,
  };
});
