/** What the floor shows, worked out from the run and its clock. No thresholds: those come with the run. */
import { useRafFn } from "@vueuse/core";
import { computed, ref, shallowRef, watch } from "vue";
import type { Span } from "@/api/types";
import { useRun } from "@/stores/run";
import { Metronome } from "./metronome";
import { speak } from "./speech";

export function useFloor() {
  const run = useRun();
  /** The run's clock, ms, at this frame. */
  const ms = ref(0);
  /** The same by the audio clock, for what moves with the beat. */
  const beatMs = ref(0);
  const sounding = ref(false);
  const called = shallowRef<{ say: string; at: number } | null>(null);
  const recountHere = ref<number | null>(null);
  const tapsHere = ref(0);
  let metronome: Metronome | null = null;
  let lastMs = -1;

  const state = computed(() => run.view?.state ?? null);
  const status = computed(() => state.value?.status ?? "ready");
  const running = computed(() => run.startedAt !== null && (status.value === "running" || status.value === "ready"));
  const phases = computed<Span[]>(() => state.value?.timeline.phases ?? []);
  const phase = computed<Span | null>(() =>
    running.value ? (phases.value.find((p) => p.end_ms == null || ms.value < p.end_ms) ?? null) : null,
  );
  /** The window that stands: a recount begun here counts before the server has said so. */
  const counting = computed(() => {
    const readings = state.value?.readings ?? [];
    const last = readings.at(-1);
    const first = phases.value.find((p) => p.kind === "count");
    if (!first) return null;
    const length = first.end_ms! - first.start_ms;
    const here = recountHere.value !== null && recountHere.value > (last?.start_ms ?? 0) ? recountHere.value : null;
    const start = here ?? last?.start_ms ?? first.start_ms;
    return { start, end: start + length, again: here !== null || (last?.attempt ?? 1) > 1 };
  });
  const inWindow = computed(
    () => running.value && counting.value !== null && ms.value >= counting.value.start && ms.value < counting.value.end,
  );
  const due = computed(() => running.value && counting.value !== null && ms.value >= counting.value.end);

  useRafFn(() => {
    ms.value = run.elapsed();
    beatMs.value = metronome?.positionMs() ?? ms.value;
    sounding.value = metronome?.sounding ?? false;
    if (running.value) callOut();
  });

  function callOut() {
    const calls = state.value?.timeline.calls ?? [];
    const passed = calls.filter((c) => c.at_ms > lastMs && c.at_ms <= ms.value).at(-1);
    // After a reload what was called long ago stays silent.
    if (passed && ms.value - passed.at_ms < 1500) {
      called.value = { say: passed.say, at: ms.value };
      speak(passed.say);
    }
    lastMs = ms.value;
  }

  /** The beat and the signals, from here on. Needs a touch or a key. */
  async function soundOn() {
    const timeline = state.value?.timeline;
    if (!run.view || !timeline) return;
    metronome ??= new Metronome(timeline.beat, run.view.clock_rate);
    await metronome.start(() => run.elapsed());
    const signals: [string, "go" | "stop" | "count"][] = [
      ["work", "go"],
      ["transition", "stop"],
      ["count", "count"],
      ["enter", "stop"],
    ];
    for (const [kind, tone] of signals) {
      const at = timeline.phases.find((p) => p.kind === kind)?.start_ms;
      if (at !== undefined && at > run.elapsed()) metronome.tone(tone, at);
    }
    const ten = timeline.calls.find((c) => c.say.startsWith("Ten"))?.at_ms;
    if (ten !== undefined && ten > run.elapsed()) metronome.tone("ten", ten);
  }
  function soundOff() {
    metronome?.stop();
  }

  async function start() {
    if (run.startedAt !== null) return;
    void run.happened({ kind: "clock_started" });
    await soundOn();
  }
  function tap() {
    if (!inWindow.value) return;
    tapsHere.value++;
    void run.happened({ kind: "tap" });
  }
  function recount() {
    recountHere.value = run.elapsed();
    tapsHere.value = 0;
    void run.happened({ kind: "recount_started" });
    const length = counting.value ? counting.value.end - counting.value.start : 0;
    metronome?.tone("count", recountHere.value);
    metronome?.tone("stop", recountHere.value + length);
  }

  // Stopped: silence at once, on every screen.
  watch(status, (now) => {
    if (now !== "running" && now !== "ready") soundOff();
  });

  return {
    ms,
    beatMs,
    sounding,
    called,
    state,
    status,
    running,
    phase,
    phases,
    counting,
    inWindow,
    due,
    tapsHere,
    start,
    tap,
    recount,
    soundOn,
    soundOff,
    close: () => metronome?.close(),
  };
}
