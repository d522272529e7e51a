<script setup lang="ts">
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import type { RunView } from "@/api/types";

/** Time from left to right: what has been, where we are, what is due. */
const props = defineProps<{ state: RunView["state"]; ms: number }>();

const svg = ref<SVGSVGElement>();
const { width } = useElementSize(svg);
/** Drawn at its real width, so that words keep their size on a phone. */
const W = computed(() => Math.max(width.value, 280));
const shown = computed(() => props.state.timeline.phases.filter((p) => p.end_ms != null));
const total = computed(() => shown.value.at(-1)?.end_ms ?? 1);
/** Short phases get room to be read; the longest gives it up. */
const lengths = computed(() => {
  const raw = shown.value.map((p) => ((p.end_ms! - p.start_ms) / total.value) * W.value);
  const lifted = raw.map((w) => Math.max(w, Math.min(74, W.value * 0.16)));
  const over = lifted.reduce((a, b) => a + b, 0) - W.value;
  const widest = lifted.indexOf(Math.max(...lifted));
  return lifted.map((w, k) => (k === widest ? w - over : w));
});
const parts = computed(() => {
  let x = 0;
  return shown.value.map((p, k) => {
    const part = { ...p, x, w: lengths.value[k]! };
    x += part.w;
    return part;
  });
});
const at = (ms: number) => {
  const part = parts.value.find((p) => ms < p.end_ms!) ?? parts.value.at(-1)!;
  return part.x + ((Math.min(ms, part.end_ms!) - part.start_ms) / (part.end_ms! - part.start_ms)) * part.w;
};
const minuteTicks = computed(() => {
  const work = parts.value.find((p) => p.kind === "work");
  if (!work) return [];
  const ticks = [];
  for (let t = work.start_ms + 60000; t < work.end_ms!; t += 60000) ticks.push(at(t));
  return ticks;
});
/** Only a whole window is a reading. */
const reading = computed(() => (ofFloor(props.state, "counted")?.readings ?? []).filter((r) => props.ms >= r.end_ms).at(-1));
const due = computed(() => parts.value.find((p) => p.kind === "count")?.end_ms ?? total.value);
const names: Record<string, string> = { count_in: "ready", work: "step", transition: "find", count: "count" };
</script>

<template>
  <svg ref="svg" class="strip" :viewBox="`0 0 ${W} 100`" role="img" :aria-label="`Stage strip: ${shown.map((p) => p.label).join(', ')}`">
    <g v-for="p in parts" :key="p.id">
      <text :x="p.x + 4" y="22" :class="{ here: ms >= p.start_ms && ms < p.end_ms! }">{{ names[p.kind] ?? p.label }}</text>
      <rect class="cell" :class="p.kind" :x="p.x + 1" y="32" :width="p.w - 3" height="38" rx="5" />
      <rect
        v-if="ms > p.start_ms"
        class="done"
        :class="p.kind"
        :x="p.x + 1"
        y="32"
        :width="Math.max(0, Math.min(at(ms), p.x + p.w - 2) - p.x - 1)"
        height="38"
        rx="5"
      />
    </g>
    <path v-for="x in minuteTicks" :key="x" class="tick" :d="`M${x} 32v38`" />
    <path
      class="due"
      :class="{ read: reading?.bpm != null, ask: state.decision?.code === 'recount_asked' }"
      :d="`M${at(due) - 14} 78l10 16h-20z`"
    />
    <text :x="at(due) - 30" y="92" text-anchor="end" :class="{ now: ms >= due && reading?.bpm == null }">
      {{ reading?.bpm != null ? `${Math.round(reading.bpm)} bpm` : ms >= due ? "now" : "count due" }}
    </text>
    <path v-if="ms > 0 && ms < total" class="cursor" :d="`M${at(ms)} 26v50`" />
  </svg>
</template>

<style scoped>
.strip {
  width: 100%;
  height: 100px;
  display: block;
}
text {
  fill: var(--soft);
  font-size: 16px;
}
text.here {
  fill: var(--ink);
  font-weight: 650;
}
text.now {
  fill: var(--ember);
  font-weight: 650;
}
.cell {
  fill: none;
  stroke: var(--line);
  stroke-width: 2;
}
.done {
  fill: var(--band);
}
.done.count {
  fill: var(--ember);
}
.tick {
  stroke: var(--soft);
  stroke-width: 1.5;
}
.cursor {
  stroke: var(--ink);
  stroke-width: 3;
}
.due {
  fill: none;
  stroke: var(--soft);
  stroke-width: 2;
}
.due.read.ask {
  fill: var(--ochre);
  stroke: var(--ochre);
}
.due.read {
  fill: var(--moss);
  stroke: var(--moss);
}
</style>
