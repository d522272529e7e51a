<script setup lang="ts">
import { computed } from "vue";
import type { NormReport } from "@/api/types";
/** A horizontal rule with the population's printed points; the client above, last time below. Better is to the right. */
const props = defineProps<{
  norm: NormReport;
  value: number;
  shown: string;
  last: { from: number; from_shown: string } | null;
  unit: string;
}>();
/** Where the last time lies, where there is one. */
const before = computed(() => props.last?.from ?? null);

const W = 720;
const percentiles = computed(() => props.norm.ticks.every((t) => /^\d+$/.test(t.label)));
const all = computed(() => [...props.norm.ticks.map((t) => t.value), props.value, ...(before.value === null ? [] : [before.value])]);
const lo = computed(() => Math.min(...all.value));
const hi = computed(() => Math.max(...all.value));
const pad = computed(() => (hi.value - lo.value) * (percentiles.value ? 0.06 : 0.2) || 1);
function x(v: number) {
  const share = (v - lo.value + pad.value) / (hi.value - lo.value + 2 * pad.value);
  return 16 + (props.norm.lower_is_better ? 1 - share : share) * (W - 32);
}
const ticks = computed(() => {
  const placed = props.norm.ticks.map((t) => ({ ...t, x: x(t.value), named: false })).sort((a, b) => a.x - b.x);
  const wanted = [...placed].sort((a, b) => rank(a.label) - rank(b.label));
  const taken: number[] = [];
  // A name under the mark of last time could not be read.
  const free = (t: { x: number }) => before.value === null || Math.abs(x(before.value) - t.x) > 20;
  for (const t of wanted.filter(free)) {
    if (taken.every((at) => Math.abs(at - t.x) > 40)) {
      taken.push(t.x);
      t.named = true;
    }
  }
  return placed;
});
/** The median first, then quarters, then the ends. */
const rank = (label: string) => [50, 25, 75, 5, 95, 10, 90].indexOf(Number(label)) >>> 0;
const zones = computed(() => {
  const edges = ticks.value;
  return edges.map((t, k) => {
    // A category's limit is its worst value; the zone lies on the better side of it.
    const next = edges[k + 1]?.x ?? W - 4;
    return { label: t.label.replace(/_/g, " "), x: (t.x + next) / 2, w: next - t.x };
  });
});
const here = computed(() => Math.max(16, Math.min(W - 16, x(props.value))));
const anchor = (at: number) => (at < 70 ? "start" : at > W - 70 ? "end" : "middle");
</script>

<template>
  <div class="norm">
    <p class="said">
      <b>{{ norm.sentence[0]!.toUpperCase() + norm.sentence.slice(1) }}</b> <span class="soft">among {{ norm.population }}</span>
    </p>
    <svg
      v-if="norm.ticks.length"
      :viewBox="`0 0 ${W} ${percentiles ? 112 : 122}`"
      role="img"
      :aria-label="`${norm.sentence} among ${norm.population}`"
    >
      <path class="rule" :d="`M8 56H${W - 8}`" />
      <g v-for="t in ticks" :key="t.label">
        <path
          class="tick"
          :class="{ mid: t.label === '50' }"
          :d="`M${t.x} ${t.label === '50' || !percentiles ? 44 : 49}v${t.label === '50' || !percentiles ? 24 : 14}`"
        />
        <text v-if="percentiles && t.named" :x="t.x" y="84" text-anchor="middle">{{ t.label }}</text>
      </g>
      <template v-if="!percentiles">
        <text v-for="z in zones" :key="z.label" :x="z.x" y="96" text-anchor="middle">{{ z.w > z.label.length * 7 ? z.label : "" }}</text>
      </template>
      <path class="now" :d="`M${here} 50l9 -16h-18z`" />
      <text class="nowtext" :x="here" y="24" :text-anchor="anchor(here)">{{ shown }} {{ unit }}</text>
      <template v-if="last && before !== null">
        <path class="before" :d="`M${x(before)} 62l7 13h-14z`" />
        <text :x="x(before)" :y="percentiles ? 106 : 116" :text-anchor="anchor(x(before))">last time {{ last.from_shown }}</text>
      </template>
    </svg>
    <p v-if="norm.mismatch" class="mismatch"><b>◆ Not made for this client.</b> {{ norm.mismatch }}</p>
  </div>
</template>

<style scoped>
.norm {
  margin-bottom: 10px;
}
.said {
  margin-bottom: 2px;
}
svg {
  width: 100%;
  max-width: 720px;
  display: block;
}
.rule {
  stroke: var(--ink);
  stroke-width: 2;
}
.tick {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.tick.mid {
  stroke-width: 3;
}
text {
  fill: var(--soft);
  font-size: 15px;
}
.now {
  fill: var(--fjord);
}
.nowtext {
  fill: var(--fjord);
  font-weight: 700;
  font-size: 18px;
}
.before {
  fill: var(--card);
  stroke: var(--soft);
  stroke-width: 2;
}
.mismatch {
  color: var(--ochre);
  margin: 2px 0 0;
}
</style>
