import { defineStore } from "pinia";
import { v7 as uuid } from "uuid";
import { computed, ref, shallowRef } from "vue";
import { api, asFailure, take, type Failure } from "@/api/client";
import type { Kind, RunEvent, RunView } from "@/api/types";
import { TrueClock } from "@/floor/clock";
import * as queue from "@/floor/queue";

/** Looks for what other screens did, and tries again where the server was away. */
const LOOK_EVERY_MS = 2000;

/** The run on this screen: what the server knows of it, and what waits here to be sent. */
export const useRun = defineStore("run", () => {
  const clock = new TrueClock();
  const view = shallowRef<RunView | null>(null);
  const failure = shallowRef<Failure | null>(null);
  /** What the server refused, with its words; the entry it belongs to shows it. */
  const refused = shallowRef<{ event: RunEvent; message: string } | null>(null);
  /** Readings that came after another screen had closed the run. */
  const late = ref(0);
  const unsent = ref(0);
  const away = ref(false);
  /** The start as this screen saw it, until the server has it too. */
  const startedHere = ref<number | null>(null);

  let device = uuid();
  let seq = 0;
  let sending: Promise<void> | null = null;
  let again = false;
  let timer: number | undefined;

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

  async function open(id: string) {
    close();
    [view.value, failure.value, refused.value, late.value, startedHere.value] = [null, null, null, 0, null];
    [device, seq] = [uuid(), 0];
    await look(id);
    if (view.value) await send();
    timer = window.setInterval(() => void tick(id), LOOK_EVERY_MS);
  }

  function close() {
    window.clearInterval(timer);
  }

  async function tick(id: string) {
    if (unsent.value > 0) await send();
    else if (!document.hidden && !closed()) await look(id);
  }

  const closed = () => view.value?.result != null;

  async function look(id: string) {
    const sent = performance.now();
    try {
      show(await take(api.GET("/api/runs/{id}", { params: { path: { id } } })), sent);
      failure.value = null;
    } catch (error) {
      const problem = asFailure(error);
      away.value = problem.isAway;
      if (!view.value) failure.value = problem;
    }
  }

  function show(next: RunView, sent: number) {
    clock.learn(next.server_now, sent, performance.now());
    view.value = next;
    away.value = false;
  }

  /** Something happened: kept here first, then sent. The answer is the event's id. */
  async function happened(kind: Kind): Promise<string> {
    const event: RunEvent = {
      ...kind,
      id: uuid(),
      device,
      seq: ++seq,
      mono_ms: performance.now() * (view.value?.clock_rate ?? 1),
      wall: new Date(now()).toISOString(),
    };
    if (kind.kind === "clock_started") startedHere.value = Date.parse(event.wall);
    if (!view.value) return event.id;
    unsent.value++;
    await queue.keep(view.value.id, event);
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
      for (let waiting = await queue.waiting(run); waiting.length > 0; waiting = await queue.waiting(run)) {
        if (!(await hand(run, batch(waiting)))) break;
      }
      unsent.value = (await queue.waiting(run)).length;
    }
  }

  /** One screen's events, taps together, anything the server may refuse alone. */
  function batch(waiting: RunEvent[]): RunEvent[] {
    const first = waiting[0]!;
    if (first.kind !== "tap") return [first];
    const end = waiting.findIndex((e) => e.kind !== "tap" || e.device !== first.device);
    return waiting.slice(0, end === -1 ? undefined : end).slice(0, 100);
  }

  /** Hands events over; says whether to go on. */
  async function hand(run: string, events: RunEvent[]): Promise<boolean> {
    const sent = performance.now();
    try {
      const answer = await take(api.POST("/api/runs/{id}/events", { params: { path: { id: run } }, body: { events } }));
      await queue.done(run, events);
      show(answer.view, sent);
      late.value += answer.late;
      return true;
    } catch (error) {
      const problem = asFailure(error);
      if (problem.status === 422) {
        const event = events[0]!;
        refused.value = { event, message: problem.message };
        await queue.withdraw(run, event);
        if (event.device === device) seq--;
        return true;
      }
      away.value = problem.isAway;
      return false;
    }
  }

  return { view, failure, refused, late, unsent, away, startedAt, now, elapsed, open, close, happened, send };
});
