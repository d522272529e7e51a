<script setup lang="ts">
import { computed } from "vue";
import type { HistoryLine } from "@/api/types";
import { dayShort } from "@/composables/dates";

/** One measure over the visits, small: the band of its own noise around the first, the way it went, what happened meanwhile. */
const props = defineProps<{
  line: HistoryLine;
  from: string;
  until: string;
  happenings: { from_on: string; words: string }[];
  /** Without the sentence: it stands elsewhere on the page. */
  brief?: boolean;
}>();
const W = 260;
const H = 92;
const taken = computed(() => props.line.points.filter((p) => p.value != null));
const alike = computed(() => taken.value.filter((p) => !p.unlike.length));
const scale = computed(() => {
  const base = alike.value[0]?.value;
  const noise = props.line.detectable ?? 0;
  const values = taken.value.map((p) => p.value!);
  if (base != null) values.push(base - noise, base + noise);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.14;
  return { low: low - room, high: high + room, base, noise };
});
const day = (on: string) => new Date(on).getTime();
const x = (on: string) => 10 + ((W - 20) * (day(on) - day(props.from))) / Math.max(day(props.until) - day(props.from), 1);
function y(value: number) {
  const share = (value - scale.value.low) / (scale.value.high - scale.value.low);
  return props.line.lower_is_better ? 6 + (H - 12) * share : H - 6 - (H - 12) * share;
}
const way = computed(() => alike.value.map((p) => `${x(p.on).toFixed(1)} ${y(p.value!).toFixed(1)}`).join("L"));
const band = computed(() => {
  if (scale.value.base == null || !scale.value.noise) return null;
  const [a, b] = [y(scale.value.base + scale.value.noise), y(scale.value.base - scale.value.noise)];
  return { y: Math.min(a, b), height: Math.abs(a - b) };
});
const along = computed(() => props.happenings.filter((h) => h.from_on >= props.from && h.from_on <= props.until));
const first = computed(() => taken.value[0]);
const last = computed(() => taken.value.at(-1));
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
    <svg :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`${line.name}, ${line.label}: ${said}`">
      <rect v-if="band" class="band" x="0" :width="W" v-bind="band" />
      <path v-for="h in along" :key="h.from_on + h.words" class="along" :d="`M${x(h.from_on)} 0V${H}`" />
      <path v-if="alike.length > 1" class="way" :d="`M${way}`" />
      <template v-for="(p, k) in taken" :key="k">
        <path v-if="p.unlike.length" class="unlike" :d="`M${x(p.on)} ${y(p.value!) - 6}l6 6l-6 6l-6 -6z`" />
        <circle v-else :class="{ now: p === last }" :cx="x(p.on)" :cy="y(p.value!)" :r="p === last ? 5 : 3.5" />
      </template>
    </svg>
    <p v-if="first && last" class="ends">
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
.along {
  stroke: var(--ochre);
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
