import { defineStore } from "pinia";
import { v7 as uuid } from "uuid";
import { computed, ref, shallowRef } from "vue";
import { api, asFailure, take, takeOrKept, type Failure } from "@/api/client";
import type { Appended, Kind, RunEvent, RunView } from "@/api/types";
import { loadCore, type Outcome } from "@/core/core";
import { Folding, type KeptLog } from "@/core/folding";
import { announce } from "@/offline/announce";
import { Channel } from "@/outbox/channel";
import { letGoOfRun } from "@/offline/over";
import { Moments, runClock, TrueClock } from "@/outbox/clock";
import { ALONE, Outbox } from "@/outbox/outbox";
import * as queue from "@/outbox/queue";
import { useSession } from "./session";
import { useWaiting } from "./waiting";

/** A browser that could not fold a run so often has the server's view. */
const FOLD_TRIES_MAX = 5;
/** Tries again where the server was away, and looks where the live channel is silent. */
const LOOK_EVERY_MS = 2000;
/** Numbers come back into the field they were typed in. */
const TYPED = new Set(["count_typed", "heart_rate_read", "heart_rate_counted", "value_typed"]);
/** What is not taken back by undo. */
const STANDS = new Set(["undone", "tap", "strap_heard", "clock_started", "finished", "discarded", "stop_explained"]);

/** Where a run is found: by its key for a coach; for a partner by its code, and where several are open by whom they count for. */
export type Door = { run: string } | { code: string; tag?: string | null };

/** `seen`: the run this screen shows; the channel stays quiet until there is a newer state of it. */
const address = (door: Door, seen: RunView | null) =>
  "run" in door
    ? `/api/runs/${door.run}/live${seen ? `?seen=${seen.revision}` : ""}`
    : `/api/join/${encodeURIComponent(door.code)}/live?${new URLSearchParams({ ...(seen && { run: seen.id }), ...(door.tag && { tag: door.tag }) }).toString()}`;
const doorKey = (door: Door) => ("run" in door ? door.run : `code ${door.code}`);

/** The run on this screen: what the server knows of it, and what waits here to be sent. */
export const useRun = defineStore("run", () => {
  const clock = new TrueClock();
  let moments = new Moments();
  const session = useSession();
  const waiting = useWaiting();
  /** The run as the server said it last. */
  const said = shallowRef<RunView | null>(null);
  const failure = shallowRef<Failure | null>(null);
  /** What the server refused, with its words; the entry it belongs to shows it. */
  const refused = shallowRef<{ event: RunEvent; message: string; field?: string } | null>(null);
  /** Everything that was refused and is not in a field again: kept here until it is put away. */
  const aside = shallowRef<{ event: RunEvent; message: string }[]>([]);
  /** Readings that came after another screen had closed the run. */
  const late = ref(0);
  const unsent = ref(0);
  const away = ref(false);
  /** Set up on this screen: the server does not know of it yet. */
  const pending = ref(false);
  /** Why the server does not take it. */
  const notTaken = ref("");
  /** The start as this screen saw it, until the server has it too. */
  const startedHere = ref<number | null>(null);

  let door: Door = { run: "" };
  let outbox: Outbox<Appended> | null = null;
  let channel: Channel | null = null;
  /** A run that was set up on this screen a moment ago: it need not be asked for. */
  let setUp: { view: RunView; sent: number; here: boolean } | null = null;
  let foldTries = 0;
  /** What of the run is kept on this screen. */
  let kept = "";
  let timer: number | undefined;

  /** What this screen did and the server does not know yet, and what it took back: undo goes on from there, answered or not. */
  const own = shallowRef<RunEvent[]>([]);
  /** This is the phone of somebody who counts for one performer, without an account. */
  const isPartner = ref(false);
  /** Works the run out on this screen, where the browser can. */
  const folding = shallowRef<Folding | null>(null);
  /** The run as it is: what this screen did counts at once, online or not. A strap's second alone waits for the server's word while there is
   * a line: thousands of them need not be folded each second. */
  const view = computed<RunView | null>(() => {
    if (!said.value || !folding.value) return said.value;
    const counts = away.value || own.value.some((e) => !ALONE.has(e.kind));
    const here = counts ? own.value : [];
    return isPartner.value ? folding.value.beside(said.value, here) : folding.value.view(said.value, here, now());
  });
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

  /** Whether what this screen does counts here at once: nothing has to be waited for. */
  const isFolded = computed(() => folding.value !== null && said.value !== null && folding.value.isUpTo(said.value));
  /** What the run came to, where it is over on this screen and the server does not know it yet. */
  const outcomes = computed<Outcome[]>(() => {
    const ends = own.value.some((e) => e.kind === "finished");
    if (!folding.value || said.value?.closed !== false || !ends) return [];
    return folding.value.outcomes(own.value);
  });

  const startedAt = computed(() => (view.value?.state.started_at ? Date.parse(view.value.state.started_at) : startedHere.value));

  /** The run's clock now, milliseconds since 1970. */
  function now(): number {
    const real = clock.now();
    return said.value ? runClock(said.value, real) : real;
  }

  /** Milliseconds since the start of the count-in; 0 before. */
  const elapsed = () => (startedAt.value === null ? 0 : Math.max(0, now() - startedAt.value));

  /** A run that was set up here just now: the floor that opens it begins with this. `sent`: when it was asked for, monotonic ms. `here`: the
   * server does not know of it yet. */
  function begun(run: RunView, sent: number, here = false) {
    setUp = { view: run, sent, here };
  }

  async function open(at: Door) {
    close();
    [said.value, failure.value, refused.value, late.value, startedHere.value] = [null, null, null, 0, null];
    [door, isPartner.value, aside.value, kept, outbox, unsent.value] = [at, !("run" in at), [], "", null, 0];
    moments = new Moments();
    [own.value, takenBack.value, folding.value, foldTries, pending.value, notTaken.value] = [[], new Set(), null, 0, false, ""];
    if ("run" in at) waiting.isShown(at.run);
    // What was set up a moment ago stands in the same moment: a key pressed now counts.
    const fresh = setUp && "run" in at && setUp.view.id === at.run ? setUp : null;
    setUp = null;
    if (fresh?.here) [said.value, pending.value, away.value] = [fresh.view, true, true];
    else if (fresh) show(fresh.view, fresh.sent);
    const here = "run" in at ? await queue.here(at.run).catch(() => undefined) : undefined;
    if (door !== at) return;
    if (here?.form) [pending.value, away.value] = [true, true];
    else if (!fresh) await look();
    if (pending.value || (!said.value && away.value)) await restore();
    // What an earlier page of this screen did and could not send.
    const left = (await mail()?.recover()) ?? [];
    own.value = [...left, ...own.value.filter((one) => !left.some((e) => e.id === one.id))];
    if (!here && "run" in at) await noteOpened(at.run);
    void folds();
    await mail()?.send();
    if (!pending.value) listen();
    timer = window.setInterval(() => void tick(), LOOK_EVERY_MS);
  }

  /** What is done here from now on is sent, also by a page that does not show the run. */
  async function noteOpened(run: string) {
    if (!said.value || said.value.closed || !session.info) return;
    const who = `${said.value.name} · ${said.value.protocol_name}`;
    await queue.hold({ run, coach: session.info.id, at: Date.now(), who }).catch(() => undefined);
  }

  /** Tells the server of a run that was set up here; throws where it does not hear or take it. */
  async function tell() {
    if (!pending.value || !("run" in door)) return;
    const at = door;
    const sent = performance.now();
    const view = await announce(at.run).catch((error: unknown) => {
      const why = asFailure(error);
      if (door === at) notTaken.value = why.code === "not_taken" ? why.message : "";
      throw why;
    });
    if (door !== at) return;
    [pending.value, notTaken.value] = [false, ""];
    if (!view) return;
    show(view, sent);
    void folds();
    listen();
  }

  /** Says why an entry cannot be stored, and keeps what is in no field. */
  function refuse(event: RunEvent, message: string, field?: string) {
    if (event.kind === "undone") takenBack.value = new Set([...takenBack.value].filter((id) => id !== event.event));
    refused.value = { event, message, field };
    if (!TYPED.has(event.kind)) aside.value = [...aside.value, { event, message }].slice(-5);
  }

  /** Folds the run here from now on: the core, and what the server has stored; on a partner's phone of the one it counts for. A browser that
   * cannot has the server's view. */
  async function folds(stored?: KeptLog) {
    const at = door;
    if (said.value?.closed !== false || (!("run" in at) && !at.tag) || ++foldTries > FOLD_TRIES_MAX) return;
    const run = said.value.id;
    try {
      const core = await loadCore();
      if (!core || door !== at) return;
      const asked = stored ? null : await takeOrKept<KeptLog>(logOf(at, run));
      // Opened again meanwhile, or another run; what the service worker kept is never newer than what is folded here.
      if (door !== at || (asked?.isKept && folding.value)) return;
      const log = stored ?? asked!.data;
      folding.value = Folding.of(core, log);
      if (folding.value) foldTries = 0;
      void remember();
    } catch {
      // Nothing answers: asked again when it does.
    }
  }

  const logOf = (at: Door, run: string) =>
    "run" in at
      ? api.GET("/api/runs/{id}/log", { params: { path: { id: at.run } } })
      : api.GET("/api/join/{code}/log", { params: { path: { code: at.code }, query: { run, tag: at.tag ?? undefined } } });

  /** Takes up what the server has stored; where something in between is missing, all of it is asked for. */
  function stored(events: RunEvent[], next: RunView, hidden: string[] = []) {
    folding.value?.take(events, hidden);
    if (!next.closed && folding.value?.isUpTo(next) === false) void folds();
  }

  /** Where this screen's events go, once the run is known. */
  function mail() {
    if (!said.value) return null;
    outbox ??= new Outbox<Appended>(said.value.id, queue, {
      post: async (run, events) => {
        await tell();
        const body = { events, sent_at: new Date(now()).toISOString() };
        return take(
          "run" in door
            ? api.POST("/api/runs/{id}/events", { params: { path: { id: run } }, body })
            : api.POST("/api/join/{code}/events", { params: { path: { code: door.code }, query: { run } }, body }),
        );
      },
      kept: (events, answer, sent) => {
        own.value = own.value.filter((one) => !events.some((e) => e.id === one.id));
        // What was refused was put right.
        const was = refused.value?.event;
        if (was && events.some((e) => e.kind === was.kind && e.slot === was.slot)) refused.value = null;
        stored(answer.events, answer.view);
        show(answer.view, sent);
        late.value += answer.late;
        waiting.tellChanged(answer);
        if (answer.view.closed) void letGoOfRun(answer.view.id).catch(() => undefined);
      },
      refused: (event, problem) => {
        own.value = own.value.filter((one) => one.id !== event.id);
        refuse(event, problem.message, problem.field);
      },
      waiting: (count) => (unsent.value = count),
      held: (problem) => (away.value = problem.isAway),
      renamed: (id, to) => {
        own.value = own.value.map((one) => queue.renamed(one, id, to));
        takenBack.value = new Set([...takenBack.value].map((one) => (one === id ? to : one)));
      },
    });
    return outbox;
  }

  /** Nothing answers: the run as this screen last saw it goes on. */
  async function restore() {
    const seen = await queue.restore(doorKey(door)).catch(() => undefined);
    if (!seen) return;
    if (!said.value) {
      clock.assume(seen.offset);
      [said.value, failure.value] = [seen.view, null];
    }
    if (seen.log) await folds(seen.log);
  }

  function close() {
    waiting.isShown(null);
    window.clearInterval(timer);
    channel?.close();
    channel = null;
  }

  /** Every change of the run arrives by itself. */
  function listen() {
    channel?.close();
    let [events, hidden]: [RunEvent[], string[]] = [[], []];
    channel = new Channel(address(door, said.value), (data, what) => {
      away.value = false;
      if (what === "events") return void (events = JSON.parse(data) as RunEvent[]);
      if (what === "hidden") return void (hidden = JSON.parse(data) as string[]);
      const next = JSON.parse(data) as RunView;
      stored(events, next, hidden);
      [events, hidden] = [[], []];
      // What this screen sent itself came back with the answer already.
      if (!said.value || next.id !== said.value.id || next.revision > said.value.revision) show(next);
    });
    channel.listen();
  }

  async function tick() {
    void remember();
    // Opened while nothing answered and nothing was kept here: there is a run only once it was looked for.
    if (pending.value) await tell().catch(() => undefined);
    if (unsent.value > 0) await mail()?.send();
    if (pending.value) return;
    if (said.value?.closed === true || document.hidden) return;
    if (!folding.value && !away.value) void folds();
    if (channel?.mustLook()) await look();
  }

  /** The run that is open here stays the one this screen is on; else that of whom the partner counts for. */
  const which = (at: { tag?: string | null }) => ({ run: said.value?.id, tag: at.tag ?? undefined });

  async function look() {
    const sent = performance.now();
    try {
      const { data, isKept } = await takeOrKept<RunView>(
        "run" in door
          ? api.GET("/api/runs/{id}", { params: { path: { id: door.run } } })
          : api.GET("/api/join/{code}", { params: { path: { code: door.code }, query: which(door) } }),
      );
      // What the device kept tells no time: it is as old as the last answer.
      if (isKept) {
        away.value = true;
        if (!said.value) await restore();
        said.value ??= data;
      } else show(data, sent);
      failure.value = null;
    } catch (error) {
      const problem = asFailure(error);
      away.value = problem.isAway;
      if (!said.value) failure.value = problem;
    }
  }

  /** Asks the server for its time, a few times in a row: the quickest answer counts. */
  async function synchronise() {
    for (let k = 0; k < 4; k++) {
      const sent = performance.now();
      const answer = await api.GET("/api/now").catch(() => null);
      if (!answer?.data) return;
      clock.learn(answer.data.server_now, sent, performance.now());
    }
  }

  /** Takes a view in, unless a newer one is there already. `sent`: when it was asked for, to learn the server's time. */
  function show(next: RunView, sent?: number) {
    if (sent !== undefined) clock.learn(next.server_now, sent, performance.now());
    away.value = false;
    if (!said.value || next.id !== said.value.id || next.revision >= said.value.revision) said.value = next;
    if (!kept) void remember();
  }

  /** Keeps the run as it is now, where it has changed; a screen that cannot is no worse off than before. */
  async function remember() {
    const now = said.value;
    const mark = `${now?.revision} ${folding.value !== null}`;
    // One that was set up here is kept with how it was.
    if (!now || mark === kept || (pending.value && !folding.value)) return;
    kept = mark;
    await queue
      .remember({ door: doorKey(door), view: now, log: folding.value?.log, offset: clock.ahead, at: Date.now() })
      .catch(() => undefined);
  }

  /** Something happened: kept here first, then sent. The answer is the event's id. `slot`: to which of many. */
  async function record(kind: Kind, slot?: number, atMs?: number): Promise<string> {
    const wall = atMs !== undefined && startedAt.value !== null ? startedAt.value + atMs : moments.next(now(), said.value?.clock_rate ?? 1);
    const id = uuid();
    const event = {
      ...kind,
      id,
      mono_ms: performance.now() * (view.value?.clock_rate ?? 1),
      wall: new Date(wall).toISOString(),
      ...(slot === undefined ? {} : { slot }),
    };
    const box = mail();
    if (!box) return id;
    const full = { ...event, device: box.device, seq: 0 } as RunEvent;
    const refusal = said.value && !ALONE.has(kind.kind) && folding.value?.check(said.value, own.value, full, now());
    if (refusal) {
      box.refuse(id);
      refuse(full, refusal.message, refusal.field ?? undefined);
      return id;
    }
    if (kind.kind === "clock_started") startedHere.value = Date.parse(event.wall);
    own.value = [...own.value, full];
    unsent.value++;
    await box.add(event);
    return id;
  }

  /** When each beep of a run to beeps sounds: worked out here, or asked for where the browser cannot. */
  async function beeps() {
    const here = folding.value?.beeps();
    if (here || !("run" in door)) return here ?? null;
    return take(api.GET("/api/runs/{id}/beeps", { params: { path: { id: door.run } } })).catch(() => null);
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
    outcomes,
    isFolded,
    notTaken,
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
    synchronise,
    beeps,
    settled,
    send,
  };
});
