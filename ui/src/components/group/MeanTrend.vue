<script setup lang="ts">
import { computed } from "vue";
import type { GroupTrend } from "@/api/types";
import { dayBrief } from "@/logic/dates";

/** The mean of a group over its sessions, with the interval it lies in. */
const props = defineProps<{ trend: GroupTrend; lower: boolean }>();
const [W, H, PAD] = [280, 92, 36];
const told = computed(() => props.trend.points.filter((p) => p.spread != null));
const scale = computed(() => {
  const all = told.value.flatMap((p) => [p.spread!.mean_low, p.spread!.mean_high]);
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const room = (high - low || 1) * 0.15;
  return { low: low - room, high: high + room };
});
const x = (k: number) => (told.value.length < 2 ? W / 2 : PAD + ((W - 2 * PAD) * k) / (told.value.length - 1));
function y(value: number) {
  const share = (value - scale.value.low) / (scale.value.high - scale.value.low);
  return props.lower ? 6 + (H - 28) * share : H - 22 - (H - 28) * share;
}
</script>

<template>
  <svg
    v-if="told.length"
    :viewBox="`0 0 ${W} ${H}`"
    role="img"
    :aria-label="trend.points.map((p) => `${dayBrief(p.on)}: ${p.words}`).join('; ')"
  >
    <polyline :points="told.map((p, k) => `${x(k)},${y(p.spread!.mean)}`).join(' ')" class="way" />
    <g v-for="(p, k) in told" :key="p.visit">
      <line :x1="x(k)" :x2="x(k)" :y1="y(p.spread!.mean_low)" :y2="y(p.spread!.mean_high)" class="interval" />
      <circle :cx="x(k)" :cy="y(p.spread!.mean)" r="4" class="mean" />
      <text :x="x(k)" :y="H - 4" text-anchor="middle">{{ dayBrief(p.on) }}</text>
    </g>
  </svg>
  <p v-else class="soft">{{ trend.points.at(-1)?.words ?? "No value yet" }}</p>
</template>

<style scoped>
svg {
  width: 100%;
  max-width: 300px;
  display: block;
}
.way {
  fill: none;
  stroke: var(--fjord);
  stroke-width: 2;
}
.interval {
  stroke: var(--fjord);
  stroke-width: 2;
  opacity: 0.5;
}
.mean {
  fill: var(--fjord);
}
text {
  font: 12px var(--text);
  fill: var(--soft);
}
</style>
