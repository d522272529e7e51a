<script setup lang="ts">
import { computed } from "vue";
import type { StageLine } from "@/api/types";
import { rounded } from "@/composables/numbers";

/** Why two stages are enough: stage points, the line through those that count, the maximum it is carried to, the estimate. */
const props = defineProps<{ line: StageLine; range?: { sentence: string; low: number; high: number } | null }>();
/** The ends of what the estimate may be: its 95 % range where that is known, else what the predicted maximum alone may move it by. */
const ends = computed(() => {
  const { vo2max, spread } = props.line;
  if (vo2max == null) return null;
  if (props.range) return { low: props.range.low, high: props.range.high };
  return spread != null ? { low: vo2max - spread, high: vo2max + spread } : null;
});
const W = 420;
const H = 210;
const high = computed(() => Math.max(props.line.hr_max + 12, ...props.line.points.map((p) => p.bpm)));
const low = computed(() => Math.min(props.line.from_bpm - 30, ...props.line.points.map((p) => p.bpm - 8)));
const top = computed(() => Math.max(40, (ends.value?.high ?? props.line.vo2max ?? 0) + 6, ...props.line.points.map((p) => p.vo2 + 8)));
const x = (bpm: number) => 38 + ((bpm - low.value) / (high.value - low.value)) * (W - 56);
const y = (vo2: number) => H - 26 - (vo2 / top.value) * (H - 44);
const on = (bpm: number) => props.line.intercept! + props.line.slope! * bpm;
const counting = computed(() => props.line.points.filter((p) => p.counts));
const from = computed(() => Math.min(...counting.value.map((p) => p.bpm)));
const until = computed(() => Math.max(...counting.value.map((p) => p.bpm)));
const words = computed(() => {
  if (props.line.vo2max != null) {
    return `VO₂max ${props.line.vo2max.toFixed(1)} mL/kg/min at ${Math.round(props.line.hr_max)} bpm`;
  }
  return counting.value.length === 1 ? "One stage counts; a second makes the line." : "No stage counts yet.";
});
</script>

<template>
  <figure>
    <figcaption :class="{ found: line.vo2max != null }">
      {{ words }}
      <small v-if="range">{{ range.sentence }}</small>
      <small v-else-if="line.spread != null"
        >The predicted maximum alone may be off by {{ rounded(line.spread, 1) }} mL/kg/min either way (one standard deviation).</small
      >
    </figcaption>
    <svg :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="words">
      <rect class="band" :x="x(line.from_bpm)" y="10" :width="x(line.ceiling_bpm) - x(line.from_bpm)" :height="H - 36" />
      <path class="max" :d="`M${x(line.hr_max)} 10V${H - 26}`" />
      <text :x="x(line.hr_max)" :y="H - 8" text-anchor="middle">max {{ Math.round(line.hr_max) }}</text>
      <text :x="x(line.from_bpm)" :y="H - 8" text-anchor="middle">{{ Math.round(line.from_bpm) }}</text>
      <path class="axis" :d="`M38 ${H - 26}H${W - 12}M38 10V${H - 26}`" />
      <text x="34" y="22" text-anchor="end">{{ Math.round(top) }}</text>
      <text x="34" :y="H - 28" text-anchor="end">0</text>
      <template v-if="line.slope != null">
        <path class="fit" :d="`M${x(from)} ${y(on(from))}L${x(until)} ${y(on(until))}`" />
        <path class="carried" :d="`M${x(until)} ${y(on(until))}L${x(line.hr_max)} ${y(on(line.hr_max))}`" />
        <path v-if="ends" class="spread" :d="`M${x(line.hr_max) - 7} ${y(ends.high)}h14m-7 0V${y(Math.max(0, ends.low))}m-7 0h14`" />
        <rect class="estimate" :x="x(line.hr_max) - 6" :y="y(line.vo2max!) - 6" width="12" height="12" />
      </template>
      <g v-for="(p, k) in line.points" :key="k">
        <circle :class="['point', { counts: p.counts }]" :cx="x(p.bpm)" :cy="y(p.vo2)" r="6" />
        <!-- Stages may lie close together: every other load stands above its point. -->
        <text :x="x(p.bpm) + (k % 2 ? -9 : 9)" :y="y(p.vo2) + (k % 2 ? -10 : 20)" :text-anchor="k % 2 ? 'end' : 'start'">
          {{ p.kgm_min }}
        </text>
      </g>
    </svg>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  min-width: 0;
}
figcaption {
  color: var(--soft);
  font-size: 15px;
}
figcaption.found {
  color: var(--ink);
  font-size: 19px;
  font-weight: 650;
}
figcaption small {
  display: block;
  font-size: 15px;
  font-weight: 400;
  color: var(--soft);
}
svg {
  width: 100%;
  display: block;
}
text {
  fill: var(--soft);
  font-size: 14px;
}
.band {
  fill: var(--band);
}
.axis {
  stroke: var(--soft);
  stroke-width: 1.5;
  fill: none;
}
.max {
  stroke: var(--soft);
  stroke-width: 1.5;
  stroke-dasharray: 4 5;
}
.fit {
  stroke: var(--fjord);
  stroke-width: 3;
}
.carried {
  stroke: var(--fjord);
  stroke-width: 2.5;
  stroke-dasharray: 6 6;
}
.spread {
  stroke: var(--ink);
  stroke-width: 2;
  fill: none;
}
.estimate {
  fill: var(--ink);
}
.point {
  fill: var(--card);
  stroke: var(--soft);
  stroke-width: 2.5;
}
.point.counts {
  fill: var(--fjord);
  stroke: var(--fjord);
}
</style>
