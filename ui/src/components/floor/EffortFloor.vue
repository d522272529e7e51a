<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import { minutes } from "@/logic/dates";
import { rounded } from "@/composables/numbers";
import { useStrap } from "@/floor/useStrap";
import { useTaking } from "@/floor/useTaking";
import type { Floor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";
import DecisionCard from "./DecisionCard.vue";
import EstimateNow from "./EstimateNow.vue";
import FloorClock from "./FloorClock.vue";
import NumberEntry from "./NumberEntry.vue";
import RemarkLog from "./RemarkLog.vue";
import StrapNow from "./StrapNow.vue";
import TapPad from "./TapPad.vue";

/** As far or as often as possible in a time, or a distance as fast as possible: one key on the way, one number at the end. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const strap = useStrap();
const { ms, state, running, phase } = props.floor;
/** Keys pressed here and not yet answered. */
const pressedHere = ref(0);

const effort = computed(() => ofFloor(state.value, "effort"));
const working = computed(() => running.value && phase.value?.kind === "work" && run.startedAt !== null);
const workEnd = computed(() => state.value?.timeline.phases.find((p) => p.kind === "work")?.end_ms ?? null);
const over = computed(() => run.startedAt !== null && workEnd.value !== null && ms.value >= workEnd.value);
const due = computed(() => (over.value && running.value ? (state.value?.dues.find((d) => d.value == null) ?? null) : null));
const count = computed(() => effort.value?.tallies_ms.length ?? 0);
const canKeep = computed(() => (state.value?.can_finish ?? false) && over.value && !props.closed);
const measured = computed(() => effort.value?.of_m != null);
const usesHeart = computed(() => effort.value?.takes_heart_rate ?? false);
const taking = useTaking(
  props.floor,
  computed(() => due.value),
);
async function typed(value: number) {
  const at = due.value;
  if (!at || (at.window && (await taking.took(value, at)))) return;
  await run.record({ kind: "value_typed", key: at.key, value });
}

const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  if (phase.value?.kind === "count_in") return String(Math.max(1, Math.ceil((phase.value.end_ms! - ms.value) / 1000)));
  const start = effort.value?.start_ms ?? 0;
  return minutes(Math.min(ms.value, workEnd.value ?? Infinity) - start);
});
const heading = computed(() =>
  run.startedAt === null ? "Ready when you are" : over.value ? (due.value?.label ?? "Done") : (phase.value?.label ?? ""),
);
const cue = computed(() => {
  if (run.startedAt === null) return "Five seconds to get ready, then the clock.";
  // After the work the words are about the number that is asked; none is left to ask.
  return over.value && !due.value ? "" : (phase.value?.cue ?? "");
});
/** The part of the last lap, m. */
const rest = computed(() => (effort.value?.lap_m ? (effort.value.distance_m ?? 0) - count.value * effort.value.lap_m : 0));
const left = computed(() => (working.value && workEnd.value !== null ? `${minutes(workEnd.value - ms.value + 999)} left` : ""));
const share = computed(() => {
  const start = effort.value?.start_ms ?? 0;
  const end = workEnd.value ?? start + 1;
  return workEnd.value === null ? null : Math.min(1, Math.max(0, (ms.value - start) / (end - start)));
});

async function press() {
  if (!working.value) return;
  pressedHere.value++;
  await run.record(measured.value ? { kind: "crossed" } : { kind: "tallied" });
}
const key = computed(() => (measured.value ? "Finish" : effort.value?.counts ? `One ${effort.value.counts}` : ""));

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || target.closest("textarea, .remark, button, a")) return;
  if (props.floor.status.value === "stopped" || run.startedAt === null) return;
  const pressed = event.key.toLowerCase();
  if (pressed === "t" && (event.repeat || taking.tap())) void 0;
  else if (pressed === "m" && due.value?.window) taking.change();
  else if (pressed === " " || pressed === "l" || (pressed === "enter" && working.value)) void press();
  else if (pressed === "enter" && canKeep.value && !due.value) emit("finish");
  else return;
  event.preventDefault();
});
</script>

<template>
  <main v-if="state && effort">
    <section class="left">
      <FloorClock :figures="figures" :hot="due != null" :heading="heading" :cue="cue" :call="floor.call.value" />
      <div v-if="share !== null && run.startedAt !== null" class="bar" role="img" :aria-label="left || 'over'">
        <i :style="{ width: `${share * 100}%` }"></i>
        <span>{{ left }}</span>
      </div>
      <slot v-if="run.startedAt === null" name="start" />
      <div v-else class="now">
        <p v-if="effort.distance_m != null || effort.lap_m != null" class="figure">
          <b class="num">{{ rounded(effort.distance_m ?? 0, 1) }}</b> m
          <small
            >{{ count }} {{ count === 1 ? effort.counts : `${effort.counts}s`
            }}<template v-if="effort.lap_m"> of {{ rounded(effort.lap_m, 1) }} m</template
            ><template v-if="rest"> and {{ rounded(rest, 1) }} m</template></small
          >
        </p>
        <p v-else-if="effort.counts" class="figure">
          <b class="num">{{ count }}</b> {{ count === 1 ? effort.counts : `${effort.counts}s` }}
        </p>
        <p v-else class="figure">
          <b class="num">{{ rounded(effort.of_m ?? 0, 0) }}</b> m
        </p>
        <p v-if="effort.last_time" class="last">{{ effort.last_time }}</p>
      </div>
      <button v-if="working && key" type="button" class="key main" @click="press">{{ key }} <kbd>Space</kbd></button>
      <TapPad v-if="due?.window" :taking="taking" />
      <slot name="below" />
    </section>
    <section class="side">
      <StrapNow v-if="usesHeart && !run.view?.rehearsal" :state="state" :ms="ms" :strap="strap" :simulated="false" />
      <DecisionCard v-if="state.decision" :decision="state.decision" />
      <EstimateNow v-if="state.estimate && over" :estimate="state.estimate" />
      <div v-if="effort.laps.length" class="laps">
        <h2>Laps</h2>
        <ol>
          <li v-for="l in [...effort.laps].reverse()" :key="l">{{ l }}</li>
        </ol>
      </div>
      <p v-else-if="!state.decision && !over" class="soft hint">
        {{ measured ? "Press once when the client crosses the line." : effort.counts ? `Press once for each ${effort.counts}.` : "" }} A
        press too soon is set aside.<template v-if="usesHeart"> The heart rate is asked for right after it.</template>
      </p>
      <RemarkLog :state="state" :working="false" @remark="(text) => run.record({ kind: 'noted', text })" />
    </section>
  </main>
  <NumberEntry
    :label="(due?.window && taking.label.value) || due?.label || (over ? 'All numbers are in' : 'At the end')"
    :unit="due?.window && taking.way.value === 'count' ? 'beats' : (due?.unit ?? '')"
    :due="due != null"
    :stage="due ? `${due.key} ${taking.way.value}` : ''"
    :suggested="due?.suggested ?? taking.suggested.value"
    :usual="due?.window ? null : due?.usual"
    @typed="typed"
  >
    <button v-if="due?.window" type="button" class="quiet" @click="taking.change()">
      {{ taking.way.value === "type" ? "Count beats instead" : "Type the rate instead" }} <kbd>M</kbd>
    </button>
    <button v-if="canKeep" type="button" class="main" :disabled="finishing" @click="emit('finish')">Save result <kbd>Enter</kbd></button>
    <button v-if="run.undoable && !closed" type="button" class="quiet" @click="emit('undo')">Undo {{ run.undoable }} <kbd>U</kbd></button>
  </NumberEntry>
</template>

<style scoped>
.bar {
  position: relative;
  height: 38px;
  border: 2px solid var(--line);
  border-radius: 6px;
  overflow: hidden;
}
.bar i {
  position: absolute;
  inset: 0 auto 0 0;
  background: var(--band);
}
.bar span {
  position: absolute;
  right: 12px;
  top: 4px;
  font-size: 19px;
}
.now {
  flex: 1;
}
.figure {
  font-size: 28px;
  color: var(--soft);
  margin: 0;
}
.figure b {
  font-size: clamp(72px, 9vw, 116px);
  line-height: 1;
  color: var(--ink);
  font-weight: 600;
  letter-spacing: -0.04em;
}
.figure small {
  display: block;
  font-size: 20px;
}
.last,
.hint {
  font-size: 19px;
  color: var(--soft);
}
.key {
  min-height: 92px;
  font-size: 28px;
  justify-content: center;
}
.laps ol {
  margin: 0;
  padding: 0;
  list-style: none;
  max-height: 42vh;
  overflow: auto;
}
.laps li {
  border-top: 1px solid var(--line);
  padding: 8px 0;
}
</style>
