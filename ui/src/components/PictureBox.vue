<script setup lang="ts">
import { computed } from "vue";
import type { Drawing } from "@/api/types";

/** A line figure or a plan, put down as the core drew it. Beside a name it says nothing; alone it has its caption. */
const props = defineProps<{ drawing: Drawing; small?: boolean }>();
/** Small, it is cut to what is on it; the floor's line may run out of it. */
const box = computed(() => {
  const [floor, ...rest] = props.drawing.strokes;
  const plan = props.drawing.strokes.some((s) => s.part === "path") || floor?.part !== "prop";
  const xs = (plan ? props.drawing.strokes : rest).flatMap((s) => s.points.map((p) => p[0]!));
  if (!props.small || !xs.length || plan) return "0 0 300 150";
  const [low, high] = [Math.min(...xs), Math.max(...xs)];
  const width = Math.max(190, high - low + 30);
  return `${(low + high - width) / 2} 4 ${width} 140`;
});
const path = (points: number[][]) => points.map(([x, y]) => `${x} ${y}`).join("L");
/** The last stretch of a way, for its arrow. */
function arrow(points: number[][]) {
  const [[x0, y0], [x, y]] = points.slice(-2) as [[number, number], [number, number]];
  const turn = (Math.atan2(y - y0, x - x0) * 180) / Math.PI;
  return `translate(${x} ${y}) rotate(${turn})`;
}
</script>

<template>
  <figure :class="{ small }">
    <svg :viewBox="box" :role="small ? 'presentation' : 'img'" :aria-label="small ? undefined : drawing.caption">
      <template v-for="(s, k) in drawing.strokes" :key="k">
        <circle v-if="s.points.length === 1" :class="s.part" class="dot" :cx="s.points[0]![0]" :cy="s.points[0]![1]" :r="s.width / 2" />
        <path v-else :class="s.part" :d="`M${path(s.points)}`" :stroke-width="s.width" />
        <path v-if="s.part === 'path'" class="arrow" d="M4 0L-6 -5V5z" :transform="arrow(s.points)" />
      </template>
      <path v-for="(c, k) in drawing.cones" :key="`c${k}`" class="cone" :d="`M${c[0]} ${c[1]! - 8}l7 13h-14z`" />
      <template v-if="!small">
        <text v-for="(l, k) in drawing.labels" :key="`l${k}`" :x="l.x" :y="l.y">{{ l.text }}</text>
      </template>
    </svg>
    <figcaption v-if="!small" :class="{ bad: drawing.wrong }">{{ drawing.caption }}</figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  display: block;
  width: 100%;
  aspect-ratio: 2;
}
.small svg {
  aspect-ratio: 1.36;
}
path {
  fill: none;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.body {
  stroke: var(--ink);
}
.dot.body {
  fill: var(--ink);
}
.ghost {
  stroke: var(--ink);
  opacity: 0.18;
}
.dot.ghost {
  fill: var(--ink);
}
.wrong {
  stroke: var(--madder);
}
.dot.wrong {
  fill: var(--madder);
}
.dot {
  stroke: none;
}
.prop {
  stroke: #b9b4a5;
}
.path {
  stroke: var(--fjord);
  stroke-dasharray: 7 6;
}
.arrow {
  fill: var(--fjord);
  stroke: none;
}
.cone {
  fill: var(--ember);
}
text {
  font: 15px var(--num);
  fill: var(--soft);
  text-anchor: middle;
}
figcaption {
  font-size: 16px;
  line-height: 1.4;
  margin-top: 2px;
}
.bad {
  color: var(--madder);
}
</style>
