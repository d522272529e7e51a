import { defineStore } from "pinia";
import { v7 as uuid } from "uuid";
import { computed, ref, shallowRef } from "vue";
import { api, asFailure, take, type Failure } from "@/api/client";
import type { Appended, Kind, RunEvent, RunView } from "@/api/types";
import { Channel } from "@/outbox/channel";
import { TrueClock } from "@/outbox/clock";
import { Outbox } from "@/outbox/outbox";
import * as queue from "@/outbox/queue";

/** Tries again where the server was away, and looks where the live channel is silent. */
const LOOK_EVERY_MS = 2000;
/** Numbers come back into the field they were typed in. */
const TYPED = new Set(["count_typed", "heart_rate_read", "heart_rate_counted", "value_typed"]);
/** What is not taken back by undo. */
const STANDS = new Set(["undone", "tap", "strap_heard", "clock_started", "finished", "discarded", "stop_explained"]);

/** Where a run is found: by its key for a coach, by its code for a partner. */
export type Door = { run: string } | { code: string };

/** `seen`: the revision this screen shows; the channel stays quiet until there is a newer one. */
const address = (door: Door, seen: number | undefined) =>
  "run" in door
    ? `/api/runs/${door.run}/live${seen === undefined ? "" : `?seen=${seen}`}`
    : `/api/join/${encodeURIComponent(door.code)}/live`;
const doorKey = (door: Door) => ("run" in door ? door.run : `code ${door.code}`);

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
  let outbox: Outbox<Appended> | null = null;
  let channel: Channel | null = null;
  /** A run that was set up on this screen a moment ago: it need not be asked for. */
  let setUp: { view: RunView; sent: number } | null = null;
  /** The revision that is kept on this screen. */
  let kept = -1;
  let timer: number | undefined;

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
    await record({ kind: "undone", event });
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

  /** A run that was set up here just now: the floor that opens it begins with this. `sent`: when it was asked for, monotonic ms. */
  function begun(run: RunView, sent: number) {
    setUp = { view: run, sent };
  }

  async function open(at: Door) {
    close();
    [view.value, failure.value, refused.value, late.value, startedHere.value] = [null, null, null, 0, null];
    [door, aside.value, kept, outbox, unsent.value] = [at, [], -1, null, 0];
    [own.value, takenBack.value] = [[], new Set()];
    if (setUp && "run" in at && setUp.view.id === at.run) show(setUp.view, setUp.sent);
    else await look();
    setUp = null;
    if (!view.value && away.value) await restore();
    await mail()?.recover();
    listen();
    timer = window.setInterval(() => void tick(), LOOK_EVERY_MS);
  }

  /** Where this screen's events go, once the run is known. */
  function mail() {
    if (!view.value) return null;
    outbox ??= new Outbox<Appended>(view.value.id, queue, {
      post: (run, events) => {
        const body = { events, sent_at: new Date(now()).toISOString() };
        return take(
          "run" in door
            ? api.POST("/api/runs/{id}/events", { params: { path: { id: run } }, body })
            : api.POST("/api/join/{code}/events", { params: { path: { code: door.code } }, body }),
        );
      },
      kept: (events, answer, sent) => {
        own.value = own.value.filter((one) => !events.some((e) => e.id === one.id));
        show(answer.view, sent);
        late.value += answer.late;
      },
      refused: (event, problem) => {
        own.value = own.value.filter((one) => one.id !== event.id);
        if (event.kind === "undone") takenBack.value = new Set([...takenBack.value].filter((id) => id !== event.event));
        refused.value = { event, message: problem.message, field: problem.field };
        if (!TYPED.has(event.kind)) aside.value = [...aside.value, { event, message: problem.message }].slice(-5);
      },
      waiting: (count) => (unsent.value = count),
      held: (problem) => (away.value = problem.isAway),
    });
    return outbox;
  }

  /** Nothing answers: the run as this screen last saw it goes on. */
  async function restore() {
    const seen = await queue.restore(doorKey(door)).catch(() => undefined);
    if (!seen || view.value) return;
    clock.assume(seen.offset);
    [view.value, failure.value] = [seen.view, null];
  }

  function close() {
    window.clearInterval(timer);
    channel?.close();
    channel = null;
  }

  /** Every change of the run arrives by itself. */
  function listen() {
    channel?.close();
    channel = new Channel(address(door, view.value?.revision), (data) => {
      const next = JSON.parse(data) as RunView;
      // What this screen sent itself came back with the answer already.
      if (!view.value || next.id !== view.value.id || next.revision > view.value.revision) show(next);
      away.value = false;
    });
    channel.listen();
  }

  async function tick() {
    void remember();
    // Opened while nothing answered and nothing was kept here: there is a run only once it was looked for.
    if (unsent.value > 0) await mail()?.send();
    if (view.value?.closed === true || document.hidden) return;
    if (channel?.mustLook()) await look();
  }

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
    await queue.remember({ door: doorKey(door), view: now, offset: clock.ahead, at: Date.now() }).catch(() => undefined);
  }

  /** Something happened: kept here first, then sent. The answer is the event's id. `slot`: to which of many. */
  async function record(kind: Kind, slot?: number, atMs?: number): Promise<string> {
    const wall = atMs !== undefined && startedAt.value !== null ? startedAt.value + atMs : now();
    const id = uuid();
    const event = {
      ...kind,
      id,
      mono_ms: performance.now() * (view.value?.clock_rate ?? 1),
      wall: new Date(wall).toISOString(),
      ...(slot === undefined ? {} : { slot }),
    };
    if (kind.kind === "clock_started") startedHere.value = Date.parse(event.wall);
    const box = mail();
    if (!box) return id;
    own.value = [...own.value, { ...event, device: box.device, seq: 0 } as RunEvent];
    unsent.value++;
    await box.add(event);
    return id;
  }

  /** What became of an event of this screen, once the server has answered for it. */
  const settled = (id: string) => mail()?.settled(id) ?? Promise.resolve("refused" as const);
  /** Sends what waits. */
  const send = async () => mail()?.send();

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
    begun,
    open,
    close,
    record,
    settled,
    send,
  };
});
