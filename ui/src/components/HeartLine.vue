<script setup lang="ts">
import { computed } from "vue";
import { ofFloor } from "@/logic/floor";
import type { RunView } from "@/api/types";

/** The heart rate over time in the band where stages count: what the strap sends as a line with gaps, readings as dots. */
const props = defineProps<{ state: RunView["state"]; ms: number }>();
const W = 420;
const H = 210;
const staged = computed(() => ofFloor(props.state, "staged"));
const band = computed(() => staged.value?.band ?? null);
const begin = computed(() => staged.value?.stages[0]?.start_ms ?? 0);
/** The cool-down does not push the test aside. */
const end = computed(() =>
  Math.max(begin.value + 360_000, Math.min(props.ms, (props.state.over_ms ?? Infinity) + 90_000), ...props.state.dues.map((d) => d.at_ms)),
);
const rates = computed(() => [
  ...props.state.dues.flatMap((d) => (d.value != null ? [d.value] : [])),
  ...(props.state.strap?.trace ?? []).flatMap((p) => (p.bpm != null ? [p.bpm] : [])),
]);
const low = computed(() => Math.min(80, ...rates.value) - 5);
const high = computed(() => Math.max((band.value?.high ?? 170) + 12, ...rates.value.map((r) => r + 5)));
const x = (at: number) => 40 + ((at - begin.value) / (end.value - begin.value)) * (W - 52);
const y = (bpm: number) => H - 24 - ((bpm - low.value) / (high.value - low.value)) * (H - 40);
/** Stretches without a gap. */
const lines = computed(() => {
  const out: string[] = [];
  let now: string[] = [];
  for (const p of props.state.strap?.trace ?? []) {
    if (p.bpm == null || p.at_ms < begin.value || p.at_ms > end.value) {
      if (now.length) out.push(`M${now.join("L")}`);
      now = [];
    } else now.push(`${x(p.at_ms).toFixed(1)} ${y(p.bpm).toFixed(1)}`);
  }
  if (now.length > 1) out.push(`M${now.join("L")}`);
  return out;
});
const dots = computed(() => props.state.dues.filter((d) => d.value != null && d.stage > 0));
</script>

<template>
  <figure>
    <figcaption>Heart rate, bpm</figcaption>
    <svg :viewBox="`0 0 ${W} ${H}`" role="img" aria-label="Heart rate over time">
      <template v-if="band">
        <rect class="band" x="40" :y="y(band.high)" :width="W - 52" :height="y(band.low) - y(band.high)" />
        <text class="edge" x="36" :y="y(band.high) + 5" text-anchor="end">{{ Math.round(band.high) }}</text>
        <text class="edge" x="36" :y="y(band.low) + 5" text-anchor="end">{{ Math.round(band.low) }}</text>
        <text class="why" x="46" :y="y(band.high) - 6">{{ band.because }}</text>
      </template>
      <path v-for="s in staged?.stages ?? []" :key="s.number" class="stage" :d="`M${x(s.start_ms)} 10V${H - 24}`" />
      <path v-for="d in lines" :key="d" class="strap" :d="d" />
      <g v-for="d in dots" :key="`${d.stage}.${d.minute}`">
        <circle class="dot" :cx="x(d.at_ms)" :cy="y(d.value!)" r="5" />
        <text class="read" :x="x(d.at_ms)" :y="y(d.value!) - 10" text-anchor="middle">{{ d.value }}</text>
      </g>
      <path class="axis" :d="`M40 ${H - 24}H${W - 12}`" />
      <text class="min" :x="W - 14" :y="H - 6" text-anchor="end">{{ Math.round((end - begin) / 60000) }} min</text>
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
.stage {
  stroke: var(--line);
  stroke-width: 1.5;
}
.strap {
  fill: none;
  stroke: var(--fjord);
  stroke-width: 2;
}
.dot {
  fill: var(--ink);
}
.read {
  fill: var(--ink);
  font-weight: 650;
}
.axis {
  stroke: var(--soft);
  stroke-width: 1.5;
}
</style>
