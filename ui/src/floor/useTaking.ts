/** How a heart rate that is due is taken: typed as a rate, or counted in its window; tapped along in either case. */
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch, type Ref } from "vue";
import type { Due } from "@/api/types";
import { useRun } from "@/stores/run";
import type { Floor } from "./useFloor";

/** `asked`: the reading that is due, else the one that comes next. */
export function useTaking(floor: Floor, asked: Ref<Due | null>) {
  const run = useRun();
  const way = useLocalStorage<"type" | "count">("impulso.heart-rate-by", "type");
  const window = computed(() => asked.value?.window ?? null);
  const open = computed(() => window.value !== null && floor.running.value && floor.ms.value >= window.value.from_ms);
  /** The window itself: beats are being counted. */
  const counting = computed(() => way.value === "count" && open.value && floor.ms.value < window.value!.until_ms);
  const secondsLeft = computed(() => (counting.value ? Math.ceil((window.value!.until_ms - floor.ms.value) / 1000) : 0));
  const tapped = computed(() => (open.value ? (asked.value?.tapped ?? null) : null));
  const tapsHere = ref(0);
  watch(
    () => window.value?.from_ms,
    () => (tapsHere.value = 0),
  );
  const label = computed(() => (way.value === "count" && window.value ? `Beats in ${window.value.seconds} s` : null));
  const suggested = computed(() => (way.value === "type" && tapped.value?.bpm != null ? Math.round(tapped.value.bpm) : null));

  function tap() {
    if (!open.value) return false;
    tapsHere.value++;
    void run.record({ kind: "tap" });
    return true;
  }
  /** A number was typed for `at`: a count, the taps as they were offered, or a rate. Says whether it was one of the first two. */
  async function took(value: number, at: Due): Promise<boolean> {
    const { stage, minute } = at;
    if (way.value === "count" && at.window) {
      await run.record({ kind: "heart_rate_counted", stage, minute, count: value, window_s: at.window.seconds });
    } else if (suggested.value === value) {
      await run.record({ kind: "heart_rate_tapped", stage, minute });
    } else return false;
    return true;
  }
  function change() {
    way.value = way.value === "type" ? "count" : "type";
  }
  return { way, window, open, counting, secondsLeft, tapped, tapsHere, label, suggested, tap, took, change };
}

export type Taking = ReturnType<typeof useTaking>;
