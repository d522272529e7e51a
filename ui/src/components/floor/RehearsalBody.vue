<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { Exertion } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { useAction } from "@/composables/useAction";
import { typed } from "@/logic/typed";

/** What there is to see of the simulated body: how deep a repetition goes, how a hold shakes, where the runner is, how a lift
 * went. What counts is for the assessor to judge. */
const props = defineProps<{ exertion: Exertion; ms: number; run: string }>();
const now = computed(() => props.exertion.moves.find((m) => props.ms >= m.from_ms && props.ms < m.to_ms) ?? null);
const share = computed(() => (now.value ? (props.ms - now.value.from_ms) / (now.value.to_ms - now.value.from_ms) : 0));
/** How deep the repetition is now: 1 is the depth it must reach. */
const depth = computed(() => (now.value ? Math.sin(Math.PI * share.value) * now.value.reach : 0));
const done = computed(() => props.exertion.moves.length > 0 && props.ms >= props.exertion.moves.at(-1)!.to_ms);
const shaking = computed(() => props.exertion.shakes_ms != null && props.ms >= props.exertion.shakes_ms && !done.value);
const dipping = computed(() => {
  const since = props.exertion.dips_ms == null ? -1 : props.ms - props.exertion.dips_ms;
  return since >= 0 && since < 1500 ? Math.sin((Math.PI * since) / 1500) : 0;
});
const sag = computed(() => (done.value ? 16 : dipping.value * 9) + (shaking.value ? 1.8 * Math.sin(props.ms / 28) : 0));
const load = ref("");
const saw = ref("");
const { busy, failure, run: act } = useAction();
async function lift() {
  const load_kg = typed(load.value, "kg");
  saw.value = "";
  const seen = await act(() =>
    take(api.GET("/api/rehearsals/{id}/lift", { params: { path: { id: props.run }, query: { load_kg: load_kg ?? 0 } } })),
  );
  saw.value = seen?.seen ?? "";
}
</script>

<template>
  <div v-if="exertion.shape === 'load'" class="lift">
    <label
      >Load
      <input v-model="load" class="native num" inputmode="decimal" name="rehearsed_load" @keydown.enter.stop.prevent="lift" /> kg</label
    >
    <ElButton :loading="busy" @click="lift">Let the client try it</ElButton>
    <span role="status">{{ saw }}</span>
    <FailureNote :failure="failure" />
  </div>
  <svg v-else-if="exertion.shape === 'count'" class="count" viewBox="0 0 90 64" role="img" aria-label="How deep the repetition goes">
    <path class="must" d="M10 56H80" />
    <g :transform="now?.swings ? `rotate(${12 * Math.sin(Math.PI * share)} 45 32)` : undefined">
      <path class="limb" :d="`M24 ${8 + 44 * depth}H66`" />
    </g>
  </svg>
  <svg v-else-if="exertion.shape === 'starts'" class="starts" viewBox="0 0 240 30" role="img" aria-label="Where the runner is">
    <path class="must" d="M14 4V26M226 4V26" />
    <circle class="runner" :cx="now ? 14 + 212 * share : done ? 226 : 14" cy="15" r="8" />
  </svg>
  <svg v-else class="line" viewBox="0 0 200 44" role="img" aria-label="The line of the body">
    <path class="must" d="M10 42H190" />
    <path class="limb" :d="`M20 18Q100 ${18 + 2 * sag} 180 24`" />
  </svg>
</template>

<style scoped>
.count {
  height: 104px;
}
.line {
  height: 66px;
}
.starts {
  height: 30px;
}
.must {
  stroke: var(--soft);
  stroke-width: 2;
  fill: none;
}
.limb {
  stroke: var(--ink);
  stroke-width: 8;
  stroke-linecap: round;
  fill: none;
}
.runner {
  fill: var(--ink);
}
.lift {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 12px;
}
.lift .native {
  width: 88px;
}
</style>
