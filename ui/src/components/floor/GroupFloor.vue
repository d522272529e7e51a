<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref } from "vue";
import type { StopReason } from "@/api/types";
import BeatArc from "@/components/BeatArc.vue";
import StageStrip from "@/components/StageStrip.vue";
import { minutes } from "@/logic/dates";
import type { Floor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";
import { inHalves, joinAddress } from "@/logic/join";
import FloorClock from "./FloorClock.vue";
import OneIsOut from "./OneIsOut.vue";
import PerformerList from "./PerformerList.vue";

/** One clock for many: who has counted, who is missing, and the code by which partners join. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const { ms, beatMs, state, running, phase, phases } = props.floor;

const performers = computed(() => run.view?.performers ?? []);
const counted = computed(() => performers.value.filter((p) => p.reading?.bpm != null && p.out == null).length);
const missing = computed(() => performers.value.filter((p) => p.out == null).length - counted.value);
/** One stops alone: who, then why. */
const picking = ref(false);
const leaving = ref<(typeof performers.value)[number] | null>(null);
function pick(slot: number) {
  [leaving.value, picking.value] = [performers.value.find((p) => p.slot === slot) ?? null, false];
}
async function out(reason: StopReason) {
  const { slot } = leaving.value!;
  leaving.value = null;
  await run.record({ kind: "stopped" }, slot);
  await run.record({ kind: "stop_explained", reason, note: null }, slot);
}
const countOver = computed(() => run.startedAt !== null && phase.value?.kind === "enter");
const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  const now = phase.value;
  if (!now) return minutes(ms.value);
  if (now.kind === "work") return minutes(ms.value - now.start_ms);
  if (now.end_ms != null) return String(Math.max(1, Math.ceil((now.end_ms - ms.value) / 1000)));
  return minutes(ms.value - (phases.value.find((p) => p.kind === "transition")?.start_ms ?? 0));
});
const heading = computed(() => (run.startedAt === null ? "Ready when you are" : (phase.value?.label ?? "")));
const cue = computed(() => {
  if (run.startedAt === null) return "Partners join with the code on any phone. Everybody follows one clock.";
  if (countOver.value) return missing.value === 0 ? "Everybody is in." : `${missing.value} still missing.`;
  return phase.value?.cue ?? "";
});

/** A count that was not taken belongs to its name. */
const refusedCount = computed(() => {
  const refused = run.refused;
  if (refused?.event.kind !== "count_typed" || refused.event.slot == null) return null;
  return { slot: refused.event.slot, count: refused.event.count, message: refused.message };
});

// Whoever is missing is skipped by the key on the screen alone: a count that was meant for a field ends nothing.
onKeyStroke("Enter", (event) => {
  if ((event.target as HTMLElement).closest("button, a, input, textarea") || !countOver.value || missing.value > 0) return;
  emit("finish");
  event.preventDefault();
});
</script>

<template>
  <main v-if="state" class="group">
    <section class="left">
      <FloorClock small :figures="figures" :hot="phase?.kind === 'count'" :heading="heading" :cue="cue" :call="floor.call.value" />
      <StageStrip :state="state" :ms="ms" />
      <slot v-if="run.startedAt === null" name="start" />
      <BeatArc
        v-else-if="state.timeline.beat && running && (phase?.kind === 'work' || phase?.kind === 'count_in')"
        :beat="state.timeline.beat"
        :ms="beatMs"
      />
      <PerformerList
        v-if="countOver"
        :performers="performers"
        over
        :closed="closed"
        :picking="picking"
        :refused="refusedCount"
        @picked="pick"
        @typed="(slot, count) => run.record({ kind: 'count_typed', count }, slot)"
      />
      <slot name="below" />
    </section>
    <section class="side">
      <div v-if="run.view?.join_code" class="code">
        <h2>
          Partners join at <b>{{ joinAddress() }}</b> with
        </h2>
        <p class="num">{{ inHalves(run.view.join_code) }}</p>
      </div>
      <h2 class="tally">{{ counted }} of {{ performers.length }} counted</h2>
      <PerformerList v-if="!countOver" :performers="performers" :over="false" :closed="closed" :picking="picking" @picked="pick" />
      <p v-if="run.refused && !(refusedCount && countOver)" class="wrong" role="alert">{{ run.refused.message }}</p>
    </section>
  </main>
  <footer class="foot">
    <OneIsOut v-if="leaving" :name="leaving.name" @reason="out" @back="leaving = null" />
    <span v-else class="soft">{{ countOver ? "Tap a name to type its count; Enter goes on to the next." : "" }}</span>
    <div v-if="!leaving" class="choices">
      <button
        v-if="run.startedAt !== null && !closed && running"
        type="button"
        class="quiet"
        :aria-pressed="picking"
        @click="picking = !picking"
      >
        {{ picking ? "Tap who is out" : "Somebody is out" }}
      </button>
      <button
        v-if="countOver && counted > 0 && !closed"
        type="button"
        :class="{ main: missing === 0 }"
        :disabled="finishing"
        @click="emit('finish')"
      >
        {{ missing === 0 ? "Save all results" : `Save ${counted}, skip ${missing}` }} <kbd v-if="missing === 0">Enter</kbd>
      </button>
      <button v-if="run.undoable && !closed" type="button" class="quiet" @click="emit('undo')">Undo {{ run.undoable }} <kbd>U</kbd></button>
    </div>
  </footer>
</template>

<style scoped>
.code h2 {
  margin: 0;
}
.code p {
  font-size: 46px;
  font-weight: 600;
  letter-spacing: 0.12em;
  margin: 0;
  color: var(--ink);
}
.tally {
  color: var(--ink);
  font-size: 20px;
  margin: 0;
}
</style>
