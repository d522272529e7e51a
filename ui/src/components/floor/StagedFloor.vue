<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import BeatArc from "@/components/BeatArc.vue";
import Extrapolation from "@/components/Extrapolation.vue";
import HeartLine from "@/components/HeartLine.vue";
import { minutes } from "@/logic/dates";
import { useStrap } from "@/floor/useStrap";
import { useTaking } from "@/floor/useTaking";
import type { Floor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";
import DecisionCard from "./DecisionCard.vue";
import EstimateNow from "./EstimateNow.vue";
import FloorClock from "./FloorClock.vue";
import LoadChoice from "./LoadChoice.vue";
import NumberEntry from "./NumberEntry.vue";
import OverruleBox from "./OverruleBox.vue";
import RemarkLog from "./RemarkLog.vue";
import StageTrack from "./StageTrack.vue";
import StrapNow from "./StrapNow.vue";
import TapPad from "./TapPad.vue";

/** Stages at a load until the heart rate is steady: what is due, what was decided and why, and the line as it forms. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const strap = useStrap();
const { ms, beatMs, state, running, phase } = props.floor;
const load = ref<InstanceType<typeof LoadChoice>>();
/** Typed here and not yet answered: not asked for twice while the line is away, where this screen cannot tell by itself. */
const typedHere = ref(new Set<string>());
const isTyped = (d: { stage: number; minute: number }) => !run.isFolded && typedHere.value.has(name(d));

const staged = computed(() => ofFloor(state.value, "staged"));
/** The range of the line's estimate, drawn at its end. */
const estimate = computed(() => {
  const now = state.value?.estimate;
  return now ? { sentence: now.range, low: now.low, high: now.high } : null;
});
const stage = computed(() => staged.value?.stages.at(-1) ?? null);
const over = computed(() => state.value?.over_ms ?? null);
const name = (d: { stage: number; minute: number }) => `${d.stage}.${d.minute}`;
/** The one that is due now: the latest whose minute is nearly full. */
const due = computed(() => {
  if (!running.value || over.value !== null) return null;
  const open = state.value?.dues.filter((d) => d.stage === stage.value?.number && (d.value == null || d.question != null)) ?? [];
  const now = open.filter((d) => ms.value >= d.from_ms && (d.question != null || !isTyped(d))).at(-1);
  if (now) return now;
  // Without a line nobody can say whether the stage goes on: what is read all the same is kept.
  const later = waiting.value ? (state.value?.later ?? []) : [];
  return later.find((d) => ms.value >= d.from_ms && !isTyped(d)) ?? null;
});
/** Everything asked for is typed here, and the line that would bring the decision is away. */
const waiting = computed(() => {
  const open = state.value?.dues.filter((d) => d.stage === stage.value?.number && d.value == null) ?? [];
  return run.away && open.length > 0 && open.every(isTyped);
});
const next = computed(
  () => state.value?.dues.find((d) => d.stage === stage.value?.number && d.value == null && d.at_ms > ms.value) ?? null,
);
const taking = useTaking(
  props.floor,
  computed(() => due.value ?? next.value),
);
const { counting } = taking;
const loadDue = computed(() => (running.value ? (staged.value?.load_due ?? null) : null));
const questioned = computed(() => state.value?.dues.find((d) => d.question != null && d.stage === stage.value?.number) ?? null);
const canKeep = computed(() => (state.value?.can_finish ?? false) && !props.closed && run.startedAt !== null);

const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  if (phase.value?.kind === "count_in") return String(Math.max(1, Math.ceil((phase.value.end_ms! - ms.value) / 1000)));
  return minutes(ms.value - (over.value ?? stage.value?.start_ms ?? 0));
});
const heading = computed(() => (run.startedAt === null ? "Ready when you are" : (phase.value?.label ?? "")));
const cue = computed(() => {
  if (run.startedAt === null) return "The beat sounds first, then stage 1.";
  if (counting.value) return `Count the pulse now, for minute ${(due.value ?? next.value)?.minute}.`;
  if (loadDue.value && !loadDue.value.optional) return "Set the next load; the stage begins when you confirm it.";
  if (due.value) return `Heart rate of minute ${due.value.minute}: now.`;
  return phase.value?.cue ?? "";
});

async function read(bpm: number) {
  const at = due.value;
  if (!at) return;
  // What was offered for this reading is gone once the next one is asked for.
  const took = taking.took(bpm, at);
  typedHere.value = new Set([...typedHere.value, name(at)]);
  if (await took) return;
  await run.record({ kind: "heart_rate_read", stage: at.stage, minute: at.minute, bpm });
}
function undo() {
  typedHere.value = new Set();
  emit("undo");
}
function confirm() {
  if (questioned.value) void run.record({ kind: "heart_rate_confirmed", stage: questioned.value.stage, minute: questioned.value.minute });
}
function setLoad(kgm_min: number, reason: string | null) {
  void run.record({ kind: "load_set", stage: (stage.value?.number ?? 0) + 1, kgm_min, reason });
}

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey || event.altKey || target.closest("textarea, .remark, .reason, button, a")) return;
  const key = event.key.toLowerCase();
  if (props.floor.status.value === "stopped" || run.startedAt === null) return;
  if (key === "enter" && !due.value && loadDue.value && !loadDue.value.optional) load.value?.confirm();
  else if (key === "enter" && over.value !== null && canKeep.value) emit("finish");
  else if (key === "k" && questioned.value) confirm();
  else if (key === "t" && (event.repeat || taking.tap())) void 0;
  else if (key === "m") taking.change();
  else return;
  event.preventDefault();
});
</script>

<template>
  <main v-if="state" :class="{ deciding: loadDue != null || questioned != null }">
    <section class="left">
      <FloorClock small :figures="figures" :hot="due != null && ms >= due.at_ms" :heading="heading" :cue="cue" :call="floor.call.value" />
      <slot v-if="run.startedAt === null" name="start" />
      <template v-else>
        <StageTrack :state="state" :ms="ms" />
        <BeatArc v-if="state.timeline.beat && over === null && running" class="beat" :beat="state.timeline.beat" :ms="beatMs" />
        <TapPad :taking="taking" />
        <div v-if="!counting" class="charts">
          <HeartLine :state="state" :ms="ms" />
          <Extrapolation v-if="staged?.line" :line="staged.line" :range="estimate" />
        </div>
      </template>
      <slot name="below" />
    </section>
    <section class="side">
      <StrapNow
        v-if="!run.view?.rehearsal || state.strap"
        :state="state"
        :ms="ms"
        :strap="strap"
        :simulated="run.view?.rehearsal != null"
      />
      <div v-if="waiting" class="wait">
        <h2>Keep going</h2>
        <p>
          What you typed is kept here. The decision comes when the connection is back. Until then keep the load and go on reading the heart
          rate.
        </p>
      </div>
      <DecisionCard v-else-if="state.decision" :decision="state.decision" />
      <EstimateNow v-if="state.estimate && !staged?.line" :estimate="state.estimate" />
      <div v-if="!waiting && !state.decision" class="wait">
        <h2>{{ run.startedAt === null ? "Before you start" : "First reading" }}</h2>
        <p v-if="run.startedAt === null">Strap on, saddle set, load ready. Impulso asks for each reading when it is due.</p>
        <p v-else-if="next">Minute {{ next.minute }}, in {{ minutes(next.at_ms - ms + 999) }}.</p>
      </div>
      <LoadChoice v-if="loadDue" ref="load" :due="loadDue" @set="setLoad" />
      <OverruleBox
        v-if="running && stage && stage.readings.length"
        :state="state"
        @minute="(reason) => run.record({ kind: 'minute_added', stage: stage!.number, reason })"
        @accept="(reason) => run.record({ kind: 'stage_accepted', stage: stage!.number, reason })"
        @load="setLoad"
      />
      <RemarkLog
        :state="state"
        :working="phase?.kind === 'work'"
        @lost="(back) => run.record({ kind: back ? 'cadence_regained' : 'cadence_lost' })"
        @remark="(text) => run.record({ kind: 'noted', text })"
      />
    </section>
  </main>
  <NumberEntry
    :label="
      due
        ? taking.label.value
          ? `${taking.label.value}, minute ${due.minute}`
          : due.label
        : next
          ? `Minute ${next.minute} in ${minutes(next.at_ms - ms + 999)}`
          : over !== null
            ? 'All readings are in'
            : 'Heart rate'
    "
    :unit="taking.way.value === 'count' ? 'beats' : 'bpm'"
    :due="due != null"
    :stage="due ? `${name(due)} ${taking.way.value}` : ''"
    :suggested="taking.suggested.value"
    @typed="read"
  >
    <button v-if="questioned" type="button" class="main" @click="confirm">Keep {{ questioned.value }} <kbd>K</kbd></button>
    <button v-if="canKeep" type="button" :class="{ main: over !== null }" :disabled="finishing" @click="emit('finish')">
      Save result <kbd v-if="over !== null">Enter</kbd>
    </button>
    <button v-if="running && over === null && run.startedAt !== null" type="button" class="quiet" @click="taking.change()">
      {{ taking.way.value === "type" ? "Count beats instead" : "Type the rate instead" }} <kbd>M</kbd>
    </button>
    <button v-if="run.undoable && !closed" type="button" class="quiet" @click="undo">Undo {{ run.undoable }} <kbd>U</kbd></button>
  </NumberEntry>
</template>

<style scoped>
.left {
  gap: 14px;
}
.charts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
}
.beat {
  max-height: 104px;
  overflow: hidden;
}
.wait {
  background: var(--card);
  border-left: 5px solid var(--fjord);
  border-radius: 8px;
  padding: 14px 16px;
}
.wait h2 {
  color: var(--ink);
  font-size: 21px;
  margin-bottom: 4px;
}
.wait p {
  margin: 0;
  color: var(--soft);
}
@media (max-width: 900px) {
  .charts {
    grid-template-columns: 1fr;
    gap: 8px;
  }
  .beat,
  .deciding .charts {
    display: none;
  }
  /* What is to be decided stands in the first screenful. */
  .deciding :deep(.cue),
  .deciding :deep(.track),
  .deciding :deep(.strap) {
    display: none;
  }
}
</style>
