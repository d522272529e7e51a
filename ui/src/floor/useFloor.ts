/** What every floor shows, worked out from the run and its clock. No thresholds: those come with the run. */
import { useLocalStorage, useRafFn, useWakeLock } from "@vueuse/core";
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";
import type { Span } from "@/api/types";
import type { Called, Moment } from "@/logic/beeps";
import { useRun } from "@/stores/run";
import { Metronome, type Tone } from "./metronome";
import { speak } from "./speech";

/** A call stays on screen for so long, ms of the run's clock. */
const CALL_MS = 5000;

export function useFloor() {
  const run = useRun();
  /** The run's clock, ms, at this frame. */
  const ms = ref(0);
  /** The same by the audio clock, for what moves with the beat. */
  const beatMs = ref(0);
  const sounding = ref(false);
  const called = shallowRef<{ say: string; at: number } | null>(null);
  const wake = useWakeLock();
  let metronome: Metronome | null = null;
  let lastMs = -1;
  const toned = new Set<string>();
  /** Of a run to beeps: when each sounds and what is called. */
  const beeping = shallowRef<{ moments: Moment[]; calls: Called[] } | null>(null);
  /** What this device did not sound in time. */
  const unsounded = shallowRef<Moment[]>([]);
  /** How late the loudspeaker of this device is, ms. */
  const soundDelay = useLocalStorage("impulso.sound.delay", 0);

  const state = computed(() => run.view?.state ?? null);
  const status = computed(() => state.value?.status ?? "ready");
  const running = computed(() => run.startedAt !== null && (status.value === "running" || status.value === "ready"));
  const phases = computed<Span[]>(() => state.value?.timeline.phases ?? []);
  const phase = computed<Span | null>(() =>
    running.value ? (phases.value.find((p) => p.end_ms == null || ms.value < p.end_ms) ?? null) : null,
  );
  /** The last phase is behind. */
  const ended = computed(() => running.value && phases.value.length > 0 && phase.value === null);
  /** What is tested can be done now: its time goes, or it has none. */
  const working = computed(() => run.startedAt !== null && !ended.value && (phase.value?.kind ?? "work") === "work");
  /** The time for it is over. */
  const over = computed(() => ended.value || (phase.value !== null && phase.value.kind !== "work" && phase.value.kind !== "count_in"));
  const call = computed(() => (called.value && ms.value - called.value.at < CALL_MS ? called.value.say : null));
  const saved = computed(() => {
    if (run.unsent > 0 && run.away) return `saved here, ${run.unsent} to send`;
    if (run.unsent > 0) return "saving…";
    return run.away ? "no connection; everything is saved" : "everything is saved";
  });

  // A run that is opened in the middle shows its time from the first frame on.
  watch(
    () => run.startedAt,
    () => (ms.value = beatMs.value = run.elapsed()),
    { immediate: true, flush: "sync" },
  );
  useRafFn(() => {
    ms.value = run.elapsed();
    beatMs.value = metronome?.positionMs() ?? ms.value;
    sounding.value = metronome?.sounding ?? false;
    if (running.value) callOut();
    const missed = metronome?.takeUnsounded() ?? [];
    if (missed.length) unsounded.value = [...unsounded.value, ...missed];
  });

  // Another run on this screen: what was called in the one before is not heard in it.
  watch(
    () => run.view?.id,
    () => {
      called.value = null;
      [beeping.value, unsounded.value] = [null, []];
      lastMs = -1;
      toned.clear();
    },
  );

  function say(words: string) {
    called.value = { say: words, at: ms.value };
    speak(words);
  }

  function callOut() {
    const isNow = (c: Called) => c.at_ms > lastMs && c.at_ms <= ms.value;
    const passed = beeping.value?.calls.findLast(isNow) ?? (state.value?.timeline.calls ?? []).findLast(isNow);
    // After a reload what was called long ago stays silent.
    if (passed && ms.value - passed.at_ms < 1500) say(passed.say);
    lastMs = ms.value;
  }

  /** The beat and the signals, from here on. Needs a touch or a key. */
  async function soundOn() {
    const timeline = state.value?.timeline;
    if (!run.view || !timeline) return;
    metronome ??= new Metronome(timeline.beat ?? null, run.view.clock_rate);
    metronome.delayMs = soundDelay.value;
    metronome.followBeeps(beeping.value?.moments ?? []);
    await metronome.start(() => run.elapsed());
    toned.clear();
    signal();
  }
  function soundOff() {
    metronome?.stop();
  }
  function tone(kind: Tone, atMs: number) {
    metronome?.tone(kind, atMs);
  }

  /** Hands every signal of the timeline to the audio clock once. */
  function signal() {
    const timeline = state.value?.timeline;
    if (!timeline || !metronome?.sounding) return;
    const at = (kind: Tone, when: number | null | undefined) => {
      const key = `${kind} ${when}`;
      if (when == null || when <= run.elapsed() || toned.has(key)) return;
      toned.add(key);
      tone(kind, when);
    };
    for (const p of timeline.phases) {
      if (p.kind === "work" && !beeping.value) at("go", p.start_ms);
      if (p.kind === "transition" || p.kind === "enter") at("stop", p.start_ms);
      if (p.kind === "count") at("count", p.start_ms);
    }
    const sounds = { start: "go", end: "stop", warning: "ten", ask: "count" } as const;
    for (const c of timeline.calls) if (c.tone && c.tone !== "plain") at(sounds[c.tone], c.at_ms);
    for (const d of state.value?.dues ?? []) {
      if (d.stage === 0) continue;
      at("count", d.at_ms);
    }
  }

  /** How often this screen started the clock: once, or not at all. */
  const begun = ref(0);
  async function start() {
    if (run.startedAt !== null) return;
    void run.record({ kind: "clock_started" });
    begun.value++;
    await soundOn();
  }

  watch(running, (on) => on && void wake.request("screen").catch(() => undefined));
  // The course is decided on the way: beat and signals follow it.
  watch(
    () => state.value?.timeline,
    (timeline) => {
      metronome?.follow(timeline?.beat ?? null);
      signal();
    },
  );
  watch(beeping, (now) => metronome?.followBeeps(now?.moments ?? []));
  // A new decision is seen and, where speech is on, heard. Not what was decided before this screen was opened.
  watch(
    () => state.value?.decision?.because,
    (because, before) => because && before !== undefined && before !== because && running.value && say(because),
  );
  // Stopped: silence at once, on every screen.
  watch(status, (now) => {
    if (now !== "running" && now !== "ready") soundOff();
  });
  onBeforeUnmount(() => {
    void metronome?.close();
    void wake.release().catch(() => undefined);
  });

  return {
    ms,
    beatMs,
    sounding,
    call,
    saved,
    state,
    status,
    running,
    phase,
    phases,
    ended,
    working,
    over,
    begun,
    start,
    say,
    tone,
    soundOn,
    soundOff,
    beeping,
    unsounded,
    soundDelay,
  };
}

export type Floor = ReturnType<typeof useFloor>;
