<script setup lang="ts">
import { computed } from "vue";
import { api, take } from "@/api/client";
import type { BeepCourse } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { useLoad } from "@/composables/useLoad";
import { linesOf } from "@/logic/beeps";
import { onTheWay, whereIs } from "@/logic/squad";

/** A simulated squad on its course: whoever is short of the line at the beep has missed it. Who is out walks off. */
const props = defineProps<{ id: string; rate: number; course: BeepCourse; s: number; out: Set<number> }>();
const { data: squad, failure, reload } = useLoad(() => take(api.GET("/api/rehearsals/{id}/squad", { params: { path: { id: props.id } } })));
const lines = computed(() => linesOf(props.course));
const far = computed(() => Math.max(1, lines.value.length - 1) * props.course.leg_m);
const across = (metres: number) => 3 + (94 * metres) / far.value;
const ways = computed(() => (squad.value ? onTheWay(props.course, squad.value) : []).sort((a, b) => a.lane - b.lane));
const runners = computed(() =>
  ways.value.map((way) => ({ ...way, ...whereIs(props.course, way, props.s), walksOff: props.out.has(way.slot) })),
);
</script>

<template>
  <div v-if="failure"><FailureNote :failure="failure" /> <button type="button" class="quiet" @click="reload">Try again</button></div>
  <div v-else class="squad" role="img" aria-label="The simulated squad on its course">
    <span
      v-for="(line, k) in course.zone_m > 0 ? lines : []"
      :key="`zone ${line}`"
      class="zone"
      :style="{ left: `${across(k * course.leg_m - course.zone_m)}%`, width: `${(2 * 94 * course.zone_m) / far}%` }"
    />
    <span v-for="(line, k) in lines" :key="line" class="line" :style="{ left: `${across(k * course.leg_m)}%` }" />
    <ol>
      <li v-for="one in runners" :key="one.slot">
        <b v-if="!one.walksOff" class="num" :class="{ stopped: one.stopped && s > 1 }" :style="{ left: `${across(one.at)}%` }">{{
          one.slot + 1
        }}</b>
      </li>
    </ol>
  </div>
  <p class="soft">
    <b
      >Rehearsal<template v-if="rate > 1">, {{ rate }} × as fast</template>.</b
    >
    Who is short of the {{ course.zone_m > 0 ? "zone" : "line" }} at the beep has missed it.
  </p>
</template>

<style scoped>
.squad {
  position: relative;
  overflow: hidden;
  padding: 4px 0;
}
ol {
  position: relative;
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  position: relative;
  height: 16px;
  border-bottom: 1px solid var(--line);
}
li:first-child {
  border-top: 1px solid var(--line);
}
p {
  margin: 4px 0 0;
  text-align: center;
  font-size: 15px;
}
li b {
  position: absolute;
  top: 0;
  width: 28px;
  margin-left: -14px;
  height: 15px;
  line-height: 15px;
  border-radius: 8px;
  text-align: center;
  font-size: 14px;
  background: var(--ink);
  color: var(--paper);
}
li b.stopped {
  background: var(--paper);
  color: var(--ink);
  box-shadow: inset 0 0 0 1.5px var(--soft);
  border-radius: 2px;
}
.zone {
  position: absolute;
  top: 0;
  bottom: 0;
  background: var(--ochre-wash);
}
.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 4px;
  margin-left: -2px;
  background: var(--ember);
}
</style>
