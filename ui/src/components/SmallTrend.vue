<script setup lang="ts">
import { computed, ref } from "vue";
import type { HistoryLine } from "@/api/types";
import { dayBrief, dayShort } from "@/logic/dates";

/** One measure over the visits, small: the band of its measurement error around the first, the way it went, what happened meanwhile. */
const props = defineProps<{
  line: HistoryLine;
  from: string;
  until: string;
  events: { from_on: string; words: string }[];
  /** Without the sentence: it stands elsewhere on the page. */
  brief?: boolean;
}>();
const W = 280;
const H = 112;
/** Room for the values at the left and the days below. */
const LEFT = 44;
const RIGHT = 14;
const TOP = 16;
const BOTTOM = 20;
const taken = computed(() => props.line.points.filter((p) => p.value != null));
const alike = computed(() => taken.value.filter((p) => !p.unlike.length));
const scale = computed(() => {
  const base = alike.value[0]?.value;
  const noise = props.line.detectable ?? 0;
  const values = taken.value.map((p) => p.value!);
  if (base != null) values.push(base - noise, base + noise);
  if (props.line.target != null) values.push(props.line.target);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.14;
  return { low: low - room, high: high + room, base, noise };
});
const day = (on: string) => new Date(on).getTime();
const x = (on: string) => LEFT + ((W - LEFT - RIGHT) * (day(on) - day(props.from))) / Math.max(day(props.until) - day(props.from), 1);
function y(value: number) {
  const share = (value - scale.value.low) / (scale.value.high - scale.value.low);
  const height = H - TOP - BOTTOM;
  return props.line.lower_is_better ? TOP + height * share : H - BOTTOM - height * share;
}
const way = computed(() => alike.value.map((p) => `${x(p.on).toFixed(1)} ${y(p.value!).toFixed(1)}`).join("L"));
const band = computed(() => {
  if (scale.value.base == null || !scale.value.noise) return null;
  const [a, b] = [y(scale.value.base + scale.value.noise), y(scale.value.base - scale.value.noise)];
  return { y: Math.min(a, b), height: Math.abs(a - b) };
});
const along = computed(() => props.events.filter((h) => h.from_on >= props.from && h.from_on <= props.until));
const first = computed(() => taken.value[0]);
const last = computed(() => taken.value.at(-1));
/** The highest and the lowest value, as they are said; one where they are the same. */
const ends = computed(() => {
  const all = [...taken.value].sort((a, b) => a.value! - b.value!);
  const [low, high] = [all[0], all.at(-1)];
  return low && high ? (low.value === high.value ? [high] : [low, high]) : [];
});
/** The test under the finger or the pointer; the last one otherwise. */
const pointed = ref<number | null>(null);
const at = computed(() => (pointed.value === null ? last.value : taken.value[pointed.value]));
function point(event: PointerEvent) {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect();
  const px = ((event.clientX - box.left) / box.width) * W;
  const far = taken.value.map((p) => Math.abs(x(p.on) - px));
  pointed.value = far.length ? far.indexOf(Math.min(...far)) : null;
}
/** Over its point, or under it where the target runs there. */
const labelY = computed(() => {
  const own = y(at.value!.value!);
  const target = props.line.target == null ? null : y(props.line.target);
  return target !== null && target < own + 2 && own - target < 24 ? own + 20 : Math.max(12, own - 9);
});
const said = computed(() => taken.value.map((p) => `${dayShort(p.on)} ${p.shown}`).join(", "));
</script>

<template>
  <figure>
    <figcaption>
      <b>{{ line.name }}</b>
      <span class="soft"
        >{{ line.label }}<template v-if="line.unit">, {{ line.unit }}</template></span
      >
    </figcaption>
    <svg
      :viewBox="`0 0 ${W} ${H}`"
      role="img"
      :aria-label="`${line.name}, ${line.label}: ${said}`"
      @pointermove="point"
      @pointerdown="point"
      @pointerleave="pointed = null"
    >
      <rect v-if="band" class="band" :x="LEFT" :width="W - LEFT - RIGHT" v-bind="band" />
      <path class="axis" :d="`M${LEFT} ${H - BOTTOM + 4}H${W - RIGHT}`" />
      <text v-for="p in ends" :key="p.result" class="scale" :x="LEFT - 8" :y="y(p.value!) + 4">{{ p.shown }}</text>
      <text class="day" :x="LEFT" :y="H - 3">{{ dayBrief(from) }}</text>
      <text v-if="until !== from" class="day until" :x="W - RIGHT" :y="H - 3">{{ dayBrief(until) }}</text>
      <path v-for="h in along" :key="h.from_on + h.words" class="along" :d="`M${x(h.from_on)} ${TOP - 10}V${H - BOTTOM + 4}`">
        <title>{{ h.words }}</title>
      </path>
      <path v-if="line.target != null" class="target" :d="`M${LEFT} ${y(line.target)}H${W - RIGHT}`"><title>Goal</title></path>
      <path v-if="alike.length > 1" class="way" :d="`M${way}`" />
      <template v-for="(p, k) in taken" :key="k">
        <path v-if="p.unlike.length" class="unlike" :d="`M${x(p.on)} ${y(p.value!) - 6}l6 6l-6 6l-6 -6z`" />
        <circle v-else :class="{ now: p === at }" :cx="x(p.on)" :cy="y(p.value!)" :r="p === at ? 5 : 3.5" />
      </template>
      <text v-if="at && taken.length > 1" class="said-at" :x="Math.min(x(at.on), W - RIGHT - 14)" :y="labelY">
        {{ at.shown }}
      </text>
    </svg>
    <p v-if="pointed !== null && at" class="ends">
      <b class="num">{{ at.shown }}</b> <span class="soft">{{ line.unit }}, {{ dayShort(at.on) }}</span>
    </p>
    <p v-else-if="first && last" class="ends">
      <span class="num">{{ first.shown }}</span><template v-if="first !== last">
        <span class="soft">→</span> <b class="num">{{ last.shown }}</b></template
      >
    </p>
    <p v-if="!brief" class="soft said">{{ line.sentence ?? "Once so far. The next time shows the change." }}</p>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  padding-top: 10px;
  border-top: 1px solid var(--line);
}
figcaption {
  display: flex;
  flex-direction: column;
  line-height: 1.3;
  min-height: 44px;
}
svg {
  display: block;
  width: 100%;
  margin: 6px 0 2px;
}
.band {
  fill: var(--band);
}
.axis {
  stroke: var(--line);
}
.target {
  stroke: var(--ink);
  stroke-width: 1.4;
  stroke-dasharray: 6 4;
}
text {
  font: 12px var(--num);
  fill: var(--soft);
}
.scale {
  text-anchor: end;
}
.day {
  font-family: var(--text);
}
.until {
  text-anchor: end;
}
.said-at {
  text-anchor: middle;
  font-weight: 650;
  fill: var(--ink);
}
.along {
  stroke: var(--ochre);
  stroke-width: 1.5;
  stroke-dasharray: 3 3;
}
.way {
  fill: none;
  stroke: var(--fjord);
  stroke-width: 2;
}
circle {
  fill: var(--card);
  stroke: var(--fjord);
  stroke-width: 2;
}
circle.now {
  fill: var(--fjord);
}
.unlike {
  fill: var(--card);
  stroke: var(--ochre);
  stroke-width: 1.6;
}
.ends {
  display: flex;
  gap: 7px;
  margin: 0;
  font-size: 18px;
}
.said {
  margin: 2px 0 0;
  font-size: 15px;
  line-height: 1.4;
}
</style>
