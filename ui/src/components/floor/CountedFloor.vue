<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref } from "vue";
import BeatArc from "@/components/BeatArc.vue";
import FloorEntry from "@/components/FloorEntry.vue";
import FloorSide from "@/components/FloorSide.vue";
import ReadingNow from "@/components/ReadingNow.vue";
import StageStrip from "@/components/StageStrip.vue";
import { minutes } from "@/logic/dates";
import { useCount } from "@/floor/useCount";
import type { Floor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";
import FloorClock from "./FloorClock.vue";

/** Fixed work to a beat, then a pulse counted in its window. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const count = useCount(props.floor);
const { ms, beatMs, state, running, phase, phases } = props.floor;
const { inWindow, due, counting, reading, tapsHere } = count;
const entry = ref<InstanceType<typeof FloorEntry>>();

const decision = computed(() => state.value?.decision ?? null);
const asksRecount = computed(() => decision.value?.code === "recount_asked");
const canRecount = computed(() => asksRecount.value && decision.value?.until_ms != null && ms.value < decision.value.until_ms);
const canKeep = computed(() => due.value && reading.value?.bpm != null && !asksRecount.value);

/** The large figures: the work counts up, the count counts down, and afterwards the time since stopping runs. */
const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  if (inWindow.value && counting.value) return String(Math.ceil((counting.value.end - ms.value) / 1000));
  const now = phase.value;
  if (!now) return minutes(ms.value);
  if (now.kind === "count_in" || now.kind === "transition") return String(Math.max(1, Math.ceil((now.end_ms! - ms.value) / 1000)));
  if (now.kind === "work") return minutes(ms.value - now.start_ms);
  return minutes(ms.value - (phases.value.find((p) => p.kind === "transition")?.start_ms ?? 0));
});
const heading = computed(() => {
  if (run.startedAt === null) return "Ready when you are";
  if (inWindow.value) return counting.value?.again ? "Count again" : (phase.value?.label ?? "Count");
  if (canKeep.value) return "The count is in";
  return phase.value?.label ?? "";
});
const cue = computed(() => {
  if (run.startedAt === null) return "The beat sounds first, then the work.";
  return canKeep.value ? "Save result, or undo the count and type it anew." : (phase.value?.cue ?? "");
});

function touch(event: PointerEvent) {
  if (!inWindow.value || (event.target as HTMLElement).closest("button, a, input")) return;
  event.preventDefault();
  count.tap();
}
onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey || event.altKey || props.floor.status.value === "stopped" || target.closest("textarea, .remark"))
    return;
  const key = event.key.toLowerCase();
  if ((key === "t" || key === " ") && run.startedAt !== null && !target.closest("button, a")) {
    if (!event.repeat) count.tap();
  } else if (key === "enter" && canKeep.value && entry.value?.isEmpty() && !target.closest("button, a, input")) emit("finish");
  else if (key === "r" && canRecount.value) count.recount();
  else return;
  event.preventDefault();
});
</script>

<template>
  <main :class="{ tapping: inWindow }" @pointerdown="touch">
    <section class="left">
      <FloorClock :figures="figures" :hot="inWindow" :heading="heading" :cue="cue" :call="canKeep ? null : floor.call.value" />
      <StageStrip v-if="state" :state="state" :ms="ms" />
      <slot v-if="run.startedAt === null" name="start" />
      <div v-else-if="inWindow" class="pad">
        <p class="big">Tap anywhere on each beat, or press <kbd>T</kbd></p>
        <p class="soft">Or just count. {{ run.view?.count?.rule }}</p>
        <p class="num taps" aria-live="off">{{ tapsHere }} {{ tapsHere === 1 ? "tap" : "taps" }}</p>
      </div>
      <BeatArc
        v-else-if="state?.timeline.beat && running && (phase?.kind === 'work' || phase?.kind === 'count_in')"
        :beat="state.timeline.beat"
        :ms="beatMs"
      />
      <ReadingNow v-else-if="due && reading" :reading="reading" />
      <slot name="below" />
    </section>
    <FloorSide
      v-if="run.view"
      :view="run.view"
      :ms="ms"
      :due="due"
      @lost="(back) => run.record({ kind: back ? 'cadence_regained' : 'cadence_lost' })"
      @remark="(text) => run.record({ kind: 'noted', text })"
    />
  </main>
  <FloorEntry
    v-if="run.view"
    ref="entry"
    :view="run.view"
    :due="due"
    :closed="closed"
    :can-keep="canKeep"
    :can-recount="canRecount"
    :finishing="finishing"
    @typed="(count) => run.record({ kind: 'count_typed', count })"
    @keep="emit('finish')"
    @keep-first="run.record({ kind: 'recount_waived', reason: null })"
    @recount="count.recount()"
    @undo="emit('undo')"
  />
</template>

<style scoped>
.tapping {
  touch-action: none;
  user-select: none;
}
.pad {
  flex: 1;
  min-height: 160px;
  border: 2px dashed var(--ember);
  border-radius: 16px;
  display: grid;
  place-content: center;
  text-align: center;
}
.pad .big {
  font-size: 24px;
  font-weight: 650;
}
.taps {
  font-size: 34px;
}
</style>
