<script setup lang="ts">
import { computed } from "vue";
import type { BeepCourse } from "@/api/types";
import { linesOf, type Standing } from "@/logic/beeps";

/** The course from above: its lines, and the dot where a runner should be. */
const props = defineProps<{ course: BeepCourse; now: Standing; paused: boolean; started: boolean; startsIn: number | null }>();
const lines = computed(() => linesOf(props.course));
const far = computed(() => Math.max(1, lines.value.length - 1) * props.course.leg_m);
const at = (metres: number) => 4 + (92 * metres) / far.value;
const name = (line: string, k: number) => (lines.value.length > 2 ? `${line}` : k === 0 ? "start" : `turn, ${props.course.leg_m} m`);
const inTenths = (s: number) => Math.max(0, s).toFixed(1);
const says = computed(() => {
  const { now } = props;
  if (!props.started) return `First ${props.course.by_clock ? "stage" : "level"} at ${now.speed} km/h`;
  if (props.paused) return "Paused";
  if (props.startsIn !== null) return `Start in ${Math.ceil(props.startsIn)} s`;
  if (now.toNext === null) return "The schedule is over";
  if (now.resting) {
    const where = now.startsAt && lines.value.length > 2 ? ` from ${now.startsAt} towards ${now.towards}` : "";
    return `Rest: start${where} in ${Math.ceil(now.toNext)} s`;
  }
  if (now.next === "end") return `End of stage in ${inTenths(now.toNext)} s`;
  return `${now.next === "turn" ? "Turn" : "Beep"} in ${inTenths(now.toNext)} s`;
});
</script>

<template>
  <div class="course" :class="{ still: paused || startsIn !== null || now.resting }">
    <p class="says num">{{ says }}</p>
    <slot>
      <div class="way" role="img" :aria-label="`Runners should be at ${Math.round(now.dot)} m of ${far} m`">
        <span class="line-between" />
        <span
          v-for="(line, k) in lines"
          :key="line"
          class="line"
          :class="{ start: line === now.startsAt }"
          :style="{ left: `${at(k * course.leg_m)}%` }"
        >
          <i>{{ name(line, k) }}</i>
        </span>
        <span class="dot" :style="{ left: `${at(now.dot)}%` }"
          ><b v-if="now.heading && startsIn === null && !paused">{{ now.heading > 0 ? "→" : "←" }}</b></span
        >
      </div>
    </slot>
  </div>
</template>

<style scoped>
.course {
  flex: 1 1 300px;
  min-width: 260px;
}
.says {
  margin: 0 0 2px;
  text-align: center;
  font-size: 21px;
}
.way {
  position: relative;
  height: 64px;
}
.line-between {
  position: absolute;
  left: 4%;
  right: 4%;
  top: 22px;
  border-top: 3px solid var(--line);
}
.line {
  position: absolute;
  top: 4px;
  height: 38px;
  border-left: 2px solid var(--soft);
}
.line i {
  position: absolute;
  top: 38px;
  transform: translateX(-50%);
  font-style: normal;
  font-size: 14px;
  color: var(--soft);
  white-space: nowrap;
}
.line:nth-last-child(2) i {
  transform: translateX(-84%);
}
.line.start {
  border-left: 4px solid var(--ember);
}
.line.start i {
  color: var(--ink);
  font-weight: 650;
}
.dot {
  position: absolute;
  top: 11px;
  width: 24px;
  height: 24px;
  margin-left: -12px;
  border-radius: 50%;
  background: var(--ember);
  color: var(--paper);
  display: grid;
  place-content: center;
  font-size: 17px;
  line-height: 1;
}
.still .dot {
  background: var(--soft);
}
</style>
