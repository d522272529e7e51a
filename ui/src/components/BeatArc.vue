<script setup lang="ts">
import { useElementSize, usePreferredReducedMotion } from "@vueuse/core";
import { computed, ref } from "vue";
import type { Beat } from "@/api/types";
import { beatAt, parts } from "@/logic/beat";

/** The cadence as a travelling dot: where the feet should be on this beat. Drawn from the clock that sounds the beat. */
const props = defineProps<{ beat: Beat; ms: number }>();
const calm = usePreferredReducedMotion();

const figure = ref<HTMLElement>();
const { width } = useElementSize(figure);
const each = computed(() => parts(props.beat));
/** Halves that differ are drawn as the way down and up, each with its seconds. */
const uneven = computed(() => new Set(each.value).size > 1);
/** Narrower on a phone, so that the words keep their size. */
const W = computed(() => (uneven.value ? 320 : width.value > 0 && width.value < 560 ? 440 : 800));
const SPOTS = computed(() => {
  const [left, right] = [W.value / 2 - W.value * 0.19, W.value / 2 + W.value * 0.19];
  if (uneven.value) {
    return [
      { x: W.value / 2, y: 30 },
      { x: W.value / 2, y: 190 },
    ];
  }
  if (props.beat.places.length === 2) {
    return [
      { x: left, y: 110 },
      { x: right, y: 110 },
      { x: left, y: 110 },
      { x: right, y: 110 },
    ];
  }
  return [
    { x: left, y: 52 },
    { x: right, y: 52 },
    { x: right, y: 168 },
    { x: left, y: 168 },
  ];
});
const position = computed(() => beatAt(props.beat, Math.min(props.ms, props.beat.until_ms)));
const seconds = (k: number) => `${Math.round(each.value[k]! / 100) / 10} s`;
const stepping = computed(() => props.beat.places.length === 4);
const going = computed(() => props.ms >= props.beat.first_ms && props.ms < props.beat.until_ms);
const spot = computed(() => position.value.index % props.beat.places.length);
const part = computed(() => position.value.part);
const dot = computed(() => {
  const [from, to] = [SPOTS.value[spot.value % SPOTS.value.length]!, SPOTS.value[(spot.value + 1) % SPOTS.value.length]!];
  const eased = calm.value === "reduce" ? 0 : part.value < 0.5 ? 2 * part.value ** 2 : 1 - 2 * (1 - part.value) ** 2;
  return { x: from.x + (to.x - from.x) * eased, y: from.y + (to.y - from.y) * eased };
});
/** A place lights up as the beat falls and is dark again before the next. */
const lit = (k: number) => going.value && k === spot.value && part.value < 0.45;
const swaps = computed(() => props.beat.swaps_ms.filter((at) => props.ms >= at).length);
const lead = computed(() => (swaps.value % 2 === 0 ? "right" : "left"));
const other = computed(() => (lead.value === "right" ? "left" : "right"));
const foot = (k: number) => (k % 2 === 0 ? lead.value : other.value);
const swapSoon = computed(() => props.beat.swaps_ms.some((at) => props.ms >= at - 4000 && props.ms < at + 3000));
</script>

<template>
  <figure ref="figure" class="arc">
    <figcaption>
      <span
        ><b class="num">{{ uneven ? beat.per_minute / beat.places.length : beat.per_minute }}</b>
        {{ uneven ? "a minute" : "beats a minute" }}</span
      >
      <span v-if="stepping" :class="{ swap: swapSoon }"
        >lead foot: <b>{{ lead }}</b></span
      >
    </figcaption>
    <svg :viewBox="stepping || uneven ? `0 0 ${W} 220` : `0 70 ${W} 80`" aria-hidden="true">
      <path v-if="stepping" class="bench" :d="`M${SPOTS[0]!.x - W * 0.16} 110H${SPOTS[1]!.x + W * 0.16}`" />
      <text v-if="stepping" class="level" :x="SPOTS[0]!.x - W * 0.17" y="115" text-anchor="end">bench</text>
      <path v-if="!stepping" class="path" :d="`M${SPOTS[0]!.x} ${SPOTS[0]!.y}L${SPOTS[1]!.x} ${SPOTS[1]!.y}`" />
      <rect v-else class="path" :x="SPOTS[0]!.x" y="52" :width="SPOTS[1]!.x - SPOTS[0]!.x" height="116" rx="4" />
      <g v-for="(place, k) in uneven ? beat.places : []" :key="place" class="way" :class="{ now: going && k === spot }">
        <text :x="W / 2 + (k === 0 ? -46 : 46)" y="105" :text-anchor="k === 0 ? 'end' : 'start'" class="place">{{ place }}</text>
        <text :x="W / 2 + (k === 0 ? -46 : 46)" y="130" :text-anchor="k === 0 ? 'end' : 'start'" class="foot">{{ seconds(k) }}</text>
      </g>
      <g v-for="(place, k) in uneven ? [] : beat.places" :key="k">
        <circle
          :cx="SPOTS[k]!.x"
          :cy="SPOTS[k]!.y"
          :r="lit(k) ? 32 - 26 * part : 18"
          :class="['spot', { on: lit(k), lead: k % 2 === 0 }]"
        />
        <text
          :x="SPOTS[k]!.x + (k === 1 || k === 2 ? 46 : -46)"
          :y="SPOTS[k]!.y - 1"
          :text-anchor="k === 1 || k === 2 ? 'start' : 'end'"
          class="place"
        >
          {{ place }}
        </text>
        <text
          v-if="stepping"
          :x="SPOTS[k]!.x + (k === 1 || k === 2 ? 46 : -46)"
          :y="SPOTS[k]!.y + 20"
          :text-anchor="k === 1 || k === 2 ? 'start' : 'end'"
          class="foot"
        >
          {{ foot(k) }}
        </text>
      </g>
      <circle v-for="(end, k) in uneven ? SPOTS : []" :key="`end ${k}`" class="spot" :cx="end.x" :cy="end.y" r="14" />
      <circle v-if="going" class="dot" :cx="dot.x" :cy="dot.y" r="11" />
    </svg>
  </figure>
</template>

<style scoped>
.arc {
  margin: 0;
}
figcaption {
  display: flex;
  justify-content: space-between;
  color: var(--soft);
  font-size: 17px;
}
figcaption b {
  color: var(--ink);
}
.swap,
.swap b {
  color: var(--ember);
}
svg {
  width: 100%;
  max-height: 240px;
  display: block;
}
.bench {
  stroke: var(--soft);
  stroke-width: 2;
  stroke-dasharray: 2 7;
}
.level,
.foot {
  fill: var(--soft);
  font-size: 16px;
}
.path {
  fill: none;
  stroke: var(--line);
  stroke-width: 3;
}
.spot {
  fill: var(--line);
}
.spot.lead {
  stroke: var(--soft);
  stroke-width: 3;
}
.spot.on {
  fill: var(--ember);
  stroke: none;
}
.way {
  opacity: 0.5;
}
.way.now {
  opacity: 1;
}
.dot {
  fill: var(--ember);
}
.place {
  fill: var(--ink);
  font-size: 22px;
  font-weight: 650;
}
</style>
