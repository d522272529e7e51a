import { useIntervalFn } from "@vueuse/core";
import { computed, shallowRef, watch } from "vue";
import type { BeepCourse } from "@/api/types";
import { calls, moments, scheduleS, standing } from "@/logic/beeps";
import { ofFloor } from "@/logic/floor";
import { useRun } from "@/stores/run";
import type { Floor } from "./useFloor";

/** A clock that parts by 50 millionths is a millisecond and a half off after so long. */
const SYNCHRONISE_EVERY_MS = 30_000;

/** The beeps of a run: where the schedule is now, and what of it sounds on this screen. */
export function useBeeps(floor: Floor) {
  const run = useRun();
  const course = shallowRef<BeepCourse | null>(null);
  const beeps = computed(() => ofFloor(floor.state.value, "beeps"));
  const workStart = computed(() => floor.phases.value.find((p) => p.kind === "work")?.start_ms ?? 0);
  /** The pieces that are run; before the start, what will be. */
  const pieces = computed(() => (beeps.value?.pieces.length ? beeps.value.pieces : [{ from_ms: workStart.value, at_s: 0 }]));
  // Asked again where nothing answered yet.
  watch(
    () => [run.view?.id, run.isFolded, run.away, course.value === null],
    async () => (course.value ??= await run.beeps()),
    { immediate: true },
  );
  const laid = computed(() => JSON.stringify(pieces.value));
  watch(
    [course, laid],
    () => {
      if (!course.value) return;
      floor.beeping.value = { moments: moments(course.value, pieces.value), calls: calls(course.value, pieces.value) };
    },
    { immediate: true },
  );
  // Two screens that sound are in step as far as both know the server's clock.
  useIntervalFn(() => void run.synchronise(), SYNCHRONISE_EVERY_MS, { immediateCallback: true });
  watch(floor.sounding, (on) => on && void run.synchronise());
  const paused = computed(() => beeps.value?.paused_ms != null);
  /** Before the first start, or after a pause: so long until it goes on, s. */
  const startsIn = computed(() => {
    const last = pieces.value.at(-1)!;
    return run.startedAt !== null && !paused.value && floor.ms.value < last.from_ms ? (last.from_ms - floor.ms.value) / 1000 : null;
  });
  /** Where in the schedule it is, s: before a start, what comes. */
  const at = computed(() => {
    const coming = pieces.value.at(-1)!.at_s;
    return startsIn.value === null ? scheduleS(pieces.value, floor.ms.value) : coming > 0 ? coming : -startsIn.value;
  });
  const now = computed(() => (course.value ? standing(course.value, at.value) : null));
  return { course, beeps, at, now, paused, startsIn };
}
