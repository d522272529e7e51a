<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import type { RunView } from "@/api/types";

/** Time from left to right: stages with their loads, a mark where each reading is due, filled with what was read. */
const props = defineProps<{ state: RunView["state"]; ms: number }>();
const svg = ref<SVGSVGElement>();
const { width } = useElementSize(svg);
const W = computed(() => Math.max(width.value, 300));
const staged = computed(() => ofFloor(props.state, "staged"));
const begin = computed(
  () => staged.value?.stages[0]?.start_ms ?? props.state.timeline.phases.find((p) => p.kind === "work")?.start_ms ?? 0,
);
const stages = computed(() =>
  (staged.value?.stages ?? []).map((s) => ({ ...s, until: s.end_ms ?? props.state.over_ms ?? Math.max(s.planned_end_ms, props.ms) })),
);
const end = computed(() =>
  Math.max(begin.value + 360_000, ...stages.value.map((s) => s.until), staged.value?.load_due ? props.ms + 120_000 : 0),
);
const x = (at: number) => 4 + ((at - begin.value) / (end.value - begin.value)) * (W.value - 26);
const ticks = computed(() =>
  stages.value.flatMap((s) => {
    const out = [];
    for (let at = s.start_ms + 60_000; at < s.until; at += 60_000) out.push(at);
    return out;
  }),
);
const marks = computed(() => {
  const named: number[] = [];
  return props.state.dues
    .filter((d) => d.stage > 0)
    .map((d) => {
      const at = x(d.at_ms);
      const roomy = named.every((n) => Math.abs(n - at) > 34);
      if (roomy) named.push(at);
      return { ...d, x: at, roomy, now: d.value == null && props.ms >= d.from_ms };
    });
});
const label = (s: (typeof stages.value)[number]) => {
  const room = x(s.until) - x(s.start_ms);
  if (!s.load) return room > 60 ? `stage ${s.number}` : "";
  if (room > 190) return `${s.number} · ${s.load.kgm_min} kgm/min · ${s.load.kp} kp`;
  return room > 60 ? `${s.number} · ${s.load.kgm_min}` : String(s.number);
};
</script>

<template>
  <svg ref="svg" class="track" :viewBox="`0 0 ${W} 104`" role="img" :aria-label="`Stages: ${stages.length}`">
    <g v-for="s in stages" :key="s.number">
      <text :x="x(s.start_ms) + 4" y="20" :class="{ here: s.end_ms == null && state.over_ms == null }">{{ label(s) }}</text>
      <rect
        class="cell"
        :class="{ counts: s.counts, low: s.steady === false }"
        :x="x(s.start_ms)"
        y="30"
        :width="Math.max(2, x(s.until) - x(s.start_ms) - 2)"
        height="34"
        rx="5"
      />
      <rect
        class="done"
        :x="x(s.start_ms)"
        y="30"
        :width="Math.max(0, Math.min(x(ms), x(s.until) - 2) - x(s.start_ms))"
        height="34"
        rx="5"
      />
      <text v-if="s.counts" class="tickmark" :x="x(s.until) - 22" y="53">✓</text>
    </g>
    <rect v-if="staged?.load_due" class="maybe" :x="x(ms) + 4" y="30" :width="Math.max(0, W - 8 - x(ms))" height="34" rx="5" />
    <path v-for="at in ticks" :key="at" class="tick" :d="`M${x(at)} 30v34`" />
    <g v-for="m in marks" :key="`${m.stage}.${m.minute}`" :class="['mark', { read: m.value != null, now: m.now, ask: m.question }]">
      <path :d="`M${m.x} 68l8 13h-16z`" />
      <text v-if="m.roomy" :x="m.x" y="99" text-anchor="middle">{{ m.value ?? (m.now ? "now" : "") }}</text>
    </g>
    <path v-if="ms > begin && ms < end" class="cursor" :d="`M${x(ms)} 25v44`" />
  </svg>
</template>

<style scoped>
.track {
  width: 100%;
  height: 104px;
  display: block;
}
text {
  fill: var(--soft);
  font-size: 15px;
}
.here {
  fill: var(--ink);
  font-weight: 650;
}
.cell {
  fill: none;
  stroke: var(--line);
  stroke-width: 2;
}
.cell.counts {
  stroke: var(--moss);
}
.cell.low {
  stroke: var(--ochre);
  stroke-dasharray: 6 4;
}
.done {
  fill: var(--band);
}
.maybe {
  fill: none;
  stroke: var(--line);
  stroke-width: 2;
  stroke-dasharray: 5 6;
}
.tick {
  stroke: var(--soft);
  stroke-width: 1.5;
}
.tickmark {
  fill: var(--moss);
  font-size: 20px;
  font-weight: 700;
}
.cursor {
  stroke: var(--ink);
  stroke-width: 3;
}
.mark path {
  fill: none;
  stroke: var(--soft);
  stroke-width: 2;
}
.mark.read path {
  fill: var(--moss);
  stroke: var(--moss);
}
.mark.read text {
  fill: var(--ink);
  font-weight: 650;
}
.mark.now path {
  stroke: var(--ember);
  fill: var(--ember);
}
.mark.now text {
  fill: var(--ember);
  font-weight: 700;
}
.mark.ask path {
  fill: var(--ochre);
  stroke: var(--ochre);
}
</style>
