import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, asFailure, onAnswer, take } from "@/api/client";
import type { Appended } from "@/api/types";
import { announce } from "@/offline/announce";
import { letGoOfRun } from "@/offline/over";
import { runClock } from "@/outbox/clock";
import { Outbox } from "@/outbox/outbox";
import * as queue from "@/outbox/queue";
import { useSession } from "./session";

/** What waits is tried again so often, ms. */
const EVERY_MS = 15_000;
/** A run that was opened here and has nothing to send is let go of after so long, ms. */
const IDLE_MS = 2 * 24 * 3600 * 1000;

/** What this device has done and the server does not know yet, of every run and visit, and whether there is a line. */
export const useWaiting = defineStore("waiting", () => {
  const session = useSession();
  /** Runs with something to send. */
  const runs = shallowRef<queue.Here[]>([]);
  /** Decisions about visits to send. */
  const changes = shallowRef<queue.Change[]>([]);
  /** Since when the answers on screen are kept ones; nothing while there is a line. */
  const keptAt = ref<number | null>(null);
  const away = ref(typeof navigator !== "undefined" && navigator.onLine === false);
  const count = computed(() => runs.value.length + changes.value.length);
  /** What was stored otherwise than it was done, in words: told until it is put away. */
  const told = ref<string[]>([]);
  /** The run on this screen sends for itself. */
  let shown: string | null = null;
  let sending: Promise<void> | null = null;

  onAnswer((kept) => {
    keptAt.value = kept ? Math.max(keptAt.value ?? 0, Date.parse(kept)) : null;
    const was = away.value;
    away.value = kept !== null;
    if (was && !away.value) void send();
  });

  /** The run that is open on this screen, which sends for itself. */
  function isShown(run: string | null) {
    shown = run;
    void look();
  }

  const mine = (one: { coach: string }) => one.coach === session.info?.id;

  /** Looks what waits. */
  async function look() {
    const all = (await queue.allHere().catch(() => [])).filter(mine);
    const waits = await Promise.all(all.map(async (one) => one.form || one.ended || (await queue.waiting(one.run)).length > 0));
    runs.value = all.filter((one, k) => waits[k] && one.run !== shown);
    changes.value = (await queue.changes().catch(() => [])).filter(mine);
  }

  /** Sends what waits, in the order in which it happened. */
  function send(): Promise<void> {
    sending ??= drain().finally(() => (sending = null));
    return sending;
  }

  async function drain() {
    if (!session.info) return;
    await look();
    const all = [...runs.value.map((run) => ({ at: run.at, run })), ...changes.value.map((change) => ({ at: change.at, change }))];
    for (const one of all.sort((a, b) => a.at - b.at)) {
      const goesOn = "run" in one ? await sendRun(one.run) : await sendChange(one.change);
      if (!goesOn) break;
    }
    await look();
    const idle = (await queue.allHere().catch(() => [])).filter((one) => mine(one) && Date.now() - one.at > IDLE_MS);
    for (const { run } of idle) if (run !== shown && !runs.value.some((r) => r.run === run)) await queue.letGo(run);
  }

  /** Sends a run with all that happened in it; whether to go on with what came after it. */
  async function sendRun(here: queue.Here): Promise<boolean> {
    try {
      await announce(here.run);
    } catch (error) {
      // One that is not taken holds up nothing else.
      return asFailure(error).code === "not_taken";
    }
    // As it was kept here: by its clock, and by how far this screen's is off.
    const seen = await queue.restore(here.run).catch(() => undefined);
    const now = () => (seen ? runClock(seen.view, Date.now() + seen.offset) : Date.now());
    let held = false;
    let closed = false;
    const refusedWith: string[] = [];
    const box = new Outbox<Appended>(here.run, queue, {
      post: (run, events) => {
        const body = { events, sent_at: new Date(now()).toISOString() };
        return take(api.POST("/api/runs/{id}/events", { params: { path: { id: run } }, body }));
      },
      kept: (_, answer) => {
        closed = answer.view.closed;
        tellChanged(answer);
      },
      refused: (_, problem) => refusedWith.push(problem.message),
      waiting: () => {},
      held: () => (held = true),
    });
    await box.send();
    if (held) return false;
    const { apart } = (await queue.here(here.run)) ?? {};
    const who = here.who ?? "A test";
    if (apart)
      told.value = [
        ...told.value,
        `${who} is saved outside its visit: meanwhile the visit was closed, or the test was begun on another device.`,
      ];
    if (refusedWith.length) told.value = [...told.value, `${who}: ${refusedWith.join(" ")}`];
    if (closed || here.ended) await letGoOfRun(here.run);
    return true;
  }

  /** Says whose result became another one by what arrived from here. */
  function tellChanged({ changed, view }: Appended) {
    if (!changed?.length) return;
    const words = "The test had been saved on another device; what was entered here before its end now counts too.";
    told.value = [...told.value, `${changed.join(", ")}: the result of ${view.protocol_name} has changed. ${words}`];
  }

  async function sendChange({ id, visit, event }: queue.Change): Promise<boolean> {
    try {
      await take(api.POST("/api/visits/{id}/events", { params: { path: { id: visit } }, body: { id, event } }));
    } catch (error) {
      const problem = asFailure(error);
      if (problem.mayPass) return false;
      told.value = [...told.value, problem.message];
    }
    await queue.changeDone(id);
    return true;
  }

  /** Keeps a decision about a visit, to be sent later. */
  async function decide(change: Omit<queue.Change, "coach" | "at">) {
    if (session.info) await queue.keepChange({ ...change, coach: session.info.id, at: Date.now() });
    await look();
  }

  /** Gives up a run that the server does not take. */
  async function giveUp(run: string) {
    for (const events of await queue.waiting(run)) await queue.done(run, events);
    await queue.letGo(run);
    await look();
  }

  /** From now on what waits is sent as soon as there is a line. */
  function begin() {
    window.addEventListener("online", () => void send());
    window.addEventListener("offline", () => (away.value = true));
    window.setInterval(() => void (count.value > 0 && !document.hidden && send()), EVERY_MS);
    void send();
  }

  return { runs, changes, count, away, keptAt, told, isShown, look, send, decide, giveUp, tellChanged, begin };
});
