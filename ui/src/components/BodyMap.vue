<script setup lang="ts">
import { computed } from "vue";
import type { BodyMap } from "@/api/types";

/** A body from the front: where the tape goes, what it showed, left against right. */
const props = defineProps<{
  map: BodyMap;
  /** What was measured, by `input` or `input.side`; without it the map shows where to measure. */
  values?: Record<string, string>;
  changes?: Record<string, string>;
  /** The input that is being filled. */
  at?: string;
  /** And its side. */
  side?: string | null;
  /** On the floor: the body alone, with what was measured beside each tape and the place of the one that comes now. */
  floor?: boolean;
}>();
const isNow = (t: BodyMap["tapes"][number]) => props.at === t.input && (!props.side || t.side === props.side);
const key = (t: BodyMap["tapes"][number]) => (t.side ? `${t.input}.${t.side}` : t.input);
const path = (points: number[][]) => points.map(([x, y]) => `${x} ${y}`).join("L");
const STEP = 40;
/** Labels stand in two columns, each as near its tape as the others let it. */
const placed = computed(() => {
  const shown = props.map.tapes.filter((t) => !props.values || props.values[key(t)]);
  let turn = 0;
  const all = shown.map((t) => {
    const middle = [(t.line[0]![0]! + t.line[1]![0]!) / 2, (t.line[0]![1]! + t.line[1]![1]!) / 2] as const;
    // Seen from the front the client's left is on the right.
    const right = t.side ? t.side === "left" : turn++ % 2 === 0;
    return { ...t, key: key(t), middle, right, y: middle[1] };
  });
  for (const right of [true, false]) {
    const column = all.filter((t) => t.right === right).sort((a, b) => a.y - b.y);
    let under = 14;
    for (const t of column) under = (t.y = Math.max(t.y, under)) + STEP;
    const over = Math.max(0, under - STEP - 318);
    for (const t of column) t.y -= over;
  }
  return all;
});
const said = computed(() =>
  placed.value.map((t) => `${t.label}${t.side ? `, ${t.side}` : ""}: ${props.values?.[t.key] ?? t.how}`).join("; "),
);
</script>

<template>
  <figure :class="{ floor }">
    <svg :viewBox="floor ? '26 0 290 340' : '-190 0 700 340'" role="img" :aria-label="said">
      <template v-for="(s, k) in map.strokes" :key="k">
        <circle v-if="s.points.length === 1" class="limb head" :cx="s.points[0]![0]" :cy="s.points[0]![1]" :r="s.width / 2" />
        <path v-else class="limb" :d="`M${path(s.points)}`" :stroke-width="s.width" />
      </template>
      <template v-if="floor">
        <g v-for="t in map.tapes" :key="key(t)" :class="{ now: isNow(t), done: values?.[key(t)] }">
          <path class="tape" :d="`M${path(t.line)}`" />
          <text v-if="isNow(t) || values?.[key(t)]" class="value" :x="Math.max(...t.line.map((p) => p[0]!)) + 8" :y="t.line[1]![1]! + 5">
            {{ isNow(t) ? "here" : values![key(t)] }}
          </text>
        </g>
      </template>
      <g v-for="t in floor ? [] : placed" :key="t.key" :class="{ now: isNow(t) }">
        <path class="lead" :d="`M${t.middle[0]} ${t.middle[1]}L${t.right ? 322 : -2} ${t.y}`" />
        <path class="tape" :d="`M${path(t.line)}`" />
        <text class="label" :x="t.right ? 328 : -8" :y="t.y - 2" :text-anchor="t.right ? 'start' : 'end'">
          {{ t.label }}
          <tspan v-if="t.side" class="side">{{ t.side }}</tspan>
        </text>
        <text v-if="values" class="value" :x="t.right ? 328 : -8" :y="t.y + 15" :text-anchor="t.right ? 'start' : 'end'">
          {{ values[t.key] }}
          <tspan v-if="changes?.[t.key]" class="side">{{ changes[t.key] }}</tspan>
        </text>
      </g>
    </svg>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  display: block;
  width: 100%;
  max-width: 700px;
}
.limb {
  fill: none;
  stroke: #d3d1ca;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.head {
  fill: #d3d1ca;
  stroke: none;
}
.tape {
  stroke: var(--fjord);
  stroke-width: 4;
  stroke-linecap: round;
}
.lead {
  stroke: var(--line);
  stroke-width: 1.2;
  fill: none;
}
.now .tape,
.now .lead {
  stroke: var(--ember);
}
.floor .limb {
  stroke: var(--line);
}
.floor .head {
  fill: var(--line);
}
.floor .tape {
  stroke: var(--soft);
  opacity: 0.45;
}
.floor .done .tape {
  stroke: var(--fjord);
  opacity: 1;
}
.floor .now .tape {
  stroke: var(--ember);
  stroke-width: 6;
  opacity: 1;
}
.floor .now .value {
  fill: var(--ember);
  font-size: 17px;
}
text {
  font: 15px var(--text);
  fill: var(--soft);
}
.value {
  font-weight: 650;
  fill: var(--ink);
}
.side {
  font-weight: 400;
  fill: var(--soft);
}
/* On a phone there is room for what was measured, or for the name of the one that is being filled. */
@media (max-width: 640px) {
  .label {
    display: none;
  }
  .now .label {
    display: inline;
  }
  .label,
  .value {
    font-size: 26px;
  }
}
</style>
