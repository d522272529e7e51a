/** Counting a pulse in its window: which window stands, taps, a second count. */
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import { useRun } from "@/stores/run";
import type { Floor } from "./useFloor";

/** `slot`: the performer whose pulse it is, where many share the clock. */
export function useCount(floor: Floor, slot?: () => number | undefined) {
  const run = useRun();
  const recountHere = ref<number | null>(null);
  const tapsHere = ref(0);
  const reading = computed(() => {
    const own = slot?.();
    if (own === undefined) return ofFloor(floor.state.value, "counted")?.readings.at(-1) ?? null;
    return run.view?.performers.find((p) => p.slot === own)?.reading ?? null;
  });
  /** The window that stands: a recount begun here counts before the server has said so. */
  const counting = computed(() => {
    const first = floor.phases.value.find((p) => p.kind === "count");
    if (!first) return null;
    const length = first.end_ms! - first.start_ms;
    const here = recountHere.value !== null && recountHere.value > (reading.value?.start_ms ?? 0) ? recountHere.value : null;
    const start = here ?? reading.value?.start_ms ?? first.start_ms;
    return { start, end: start + length, again: here !== null || (reading.value?.attempt ?? 1) > 1 };
  });
  const ms = floor.ms;
  const inWindow = computed(
    () => floor.running.value && counting.value !== null && ms.value >= counting.value.start && ms.value < counting.value.end,
  );
  const due = computed(() => floor.running.value && counting.value !== null && ms.value >= counting.value.end);

  function tap() {
    if (!inWindow.value) return;
    tapsHere.value++;
    void run.record({ kind: "tap" }, slot?.());
  }
  function recount() {
    recountHere.value = run.elapsed();
    tapsHere.value = 0;
    void run.record({ kind: "recount_started" }, slot?.());
    const length = counting.value ? counting.value.end - counting.value.start : 0;
    floor.tone("count", recountHere.value);
    floor.tone("stop", recountHere.value + length);
  }
  return { reading, counting, inWindow, due, tapsHere, tap, recount };
}
