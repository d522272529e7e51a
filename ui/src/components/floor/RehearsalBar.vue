<script setup lang="ts">
import { useIntervalFn } from "@vueuse/core";
import { computed, onBeforeUnmount, ref } from "vue";
import { api, take } from "@/api/client";
import type { Exertion, Seen } from "@/api/types";
import type { Floor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";
import RehearsalBody from "./RehearsalBody.vue";

/** The simulated client: what there is to see and hear, the pulse under the fingers, and the strap, whose bytes go the
 * way a real one's go. */
const props = defineProps<{ floor: Floor }>();
const run = useRun();
const seen = ref<Seen[]>([]);
const cadence = ref<number | null>(null);
const pulse = ref<number | null>(null);
const tally = ref<number | null>(null);
const exertion = ref<Exertion | null>(null);
let after: number | undefined;
let asking = false;
const { ms, running, state } = props.floor;
const latest = computed(() => seen.value.filter((s) => ms.value - s.at_ms < 12_000).at(-1) ?? null);
const beat = computed(() => state.value?.timeline.beat?.per_minute ?? null);
const off = computed(() => beat.value !== null && cadence.value !== null && Math.abs(cadence.value - beat.value) > 1);
/** Half of each beat the dot is large. */
const up = computed(() => pulse.value !== null && ((ms.value * pulse.value) / 60_000) % 1 < 0.3);
/** The pulse can be felt while it is counted, and wherever a heart rate is due or nearly so. */
const counting = computed(
  () =>
    ["count", "transition"].includes(props.floor.phase.value?.kind ?? "") ||
    (state.value?.dues ?? []).some((d) => d.window && d.value == null && ms.value >= d.window.from_ms),
);
/** The knee is up for the first half of each lift of the work. */
const lifts = computed(() => {
  const work = props.floor.phase.value;
  if (tally.value === null || work?.kind !== "work") return null;
  const done = ((ms.value - work.start_ms) * tally.value) / 60_000;
  return { up: done % 1 > 0.5 };
});

async function ask() {
  if (asking || !running.value || run.startedAt === null || !run.view) return;
  asking = true;
  try {
    const answer = await take(
      api.GET("/api/rehearsals/{id}/simulated", { params: { path: { id: run.view.id }, query: { after_s: after } } }),
    );
    cadence.value = answer.cadence ?? null;
    pulse.value = answer.pulse;
    tally.value = answer.tally ?? null;
    exertion.value = answer.exertion.shape ? answer.exertion : null;
    seen.value = [...seen.value, ...answer.seen].slice(-40);
    for (const s of answer.seen) props.floor.say(s.what);
    for (const frame of answer.frames) {
      after = Math.round(frame.at_ms / 1000);
      await run.record({ kind: "strap_heard", bytes: frame.bytes, heard: null }, undefined, frame.at_ms);
    }
  } catch {
    // The line is away: the client goes on by itself and is asked again.
  } finally {
    asking = false;
  }
}
const { pause } = useIntervalFn(ask, 500);
onBeforeUnmount(pause);
</script>

<template>
  <div class="rehearsal">
    <b
      >Rehearsal<template v-if="run.view?.rehearsal && run.view.rehearsal.rate > 1">, {{ run.view.rehearsal.rate }} × as fast</template></b
    >
    <span v-if="latest" class="seen">{{ latest.what }}</span>
    <span v-if="cadence != null && !exertion" :class="{ off }"
      >feet at <span class="num">{{ cadence }}</span></span
    >
    <span v-if="lifts" class="pulse"><i class="knee" :class="{ up: lifts.up }"></i> right knee {{ lifts.up ? "up" : "down" }}</span>
    <RehearsalBody v-if="exertion && running && run.view" :exertion="exertion" :ms="ms" :run="run.view.id" />
    <span v-if="counting" class="pulse" aria-label="The pulse under your fingers"><i :class="{ up }"></i> pulse</span>
  </div>
</template>

<style scoped>
.rehearsal {
  margin-top: auto;
  display: flex;
  gap: 20px;
  align-items: center;
  flex-wrap: wrap;
  border: 1px dashed var(--soft);
  border-radius: 10px;
  padding: 8px 14px;
  color: var(--soft);
  min-height: 48px;
}
b,
.seen {
  color: var(--ink);
}
.seen {
  font-weight: 650;
}
.off {
  color: var(--ochre);
}
.pulse {
  display: flex;
  align-items: center;
  gap: 10px;
}
.pulse i {
  width: 20px;
  height: 20px;
  border-radius: 50%;
  background: var(--ember);
  transform: scale(0.45);
}
.pulse i.knee {
  border-radius: 4px;
  background: var(--fjord);
}
.pulse i.up {
  transform: scale(1);
}
</style>
