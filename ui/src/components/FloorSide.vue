<script setup lang="ts">
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import type { RunView } from "@/api/types";
import { minutes } from "@/logic/dates";
import EstimateNow from "@/components/floor/EstimateNow.vue";
import { isOffBeat, offBeat } from "@/floor/offBeat";
import { rounded } from "@/composables/numbers";

/** What comes next, what was read, what was decided and why. */
const props = defineProps<{ view: RunView; ms: number; due: boolean }>();
const emit = defineEmits<{ lost: [back: boolean]; remark: [text: string] }>();
const text = ref("");

const next = computed(() => props.view.state.timeline.calls.find((c) => c.at_ms > props.ms));
const started = computed(() => props.view.state.started_at != null || props.ms > 0);
const work = computed(() => props.view.state.timeline.phases.find((p) => p.kind === "work"));
const working = computed(() => work.value && props.ms >= work.value.start_ms && props.ms < work.value.end_ms!);
/** Only a whole window is a reading. */
const read = computed(() =>
  (ofFloor(props.view.state, "counted")?.readings ?? []).filter((r) => props.ms >= r.end_ms && (r.typed != null || r.taps != null)),
);
const decision = computed(() => props.view.state.decision);
const asks = computed(() => decision.value?.code === "recount_asked");
const tone = computed(() => (asks.value ? "ask" : "holds"));

const off = computed(() => isOffBeat(props.view.state));
function add() {
  if (text.value.trim()) emit("remark", text.value.trim());
  text.value = "";
  (document.activeElement as HTMLElement | null)?.blur();
}
</script>

<template>
  <section class="side">
    <div v-if="due && decision" class="say" :class="tone" aria-live="polite">
      <h2>{{ asks ? "Count again" : decision.code === "recount_waived" ? "Kept as counted" : "The reading holds" }}</h2>
      <p>{{ decision.because }}</p>
      <p v-if="decision.code === 'recount_asked'">
        <template v-if="decision.until_ms != null && ms < decision.until_ms">
          A second count may start for <b class="num">{{ Math.ceil((decision.until_ms - ms) / 1000) }}</b> s more.
        </template>
        <template v-else
          >It is too late for a second count: the heart rate has fallen. Keep the first, or stop and leave the test without a
          result.</template
        >
      </p>
    </div>
    <div v-else-if="due" class="say due">
      <h2>Type the count</h2>
      <p>{{ view.count?.rule }}</p>
    </div>
    <div v-else-if="next && started" class="say">
      <h2>In {{ minutes(next.at_ms - ms + 999) }}</h2>
      <p>{{ next.say }}</p>
    </div>
    <div v-else class="say">
      <h2>Before you start</h2>
      <p>{{ view.count?.rule }}</p>
    </div>
    <EstimateNow v-if="view.state.estimate" :estimate="view.state.estimate" />

    <table v-if="read.length">
      <caption class="visually-hidden">
        Readings
      </caption>
      <thead>
        <tr>
          <th>count</th>
          <th>beats</th>
          <th>bpm</th>
          <th>tapped</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in read" :key="r.attempt">
          <td>
            {{ r.attempt }}<small v-if="r.attempt > 1"> +{{ Math.round(r.delay_s) }} s</small>
          </td>
          <td class="num">{{ r.typed != null ? rounded(r.typed, 1) : r.taps ? r.taps.count : "" }}</td>
          <td class="num bpm">{{ r.bpm != null ? rounded(r.bpm, 0) : "" }}</td>
          <td class="num">
            {{ r.taps?.bpm != null ? rounded(r.taps.bpm, 0) : "" }}
            <small v-if="r.taps && (r.taps.missed || r.taps.doubled)">{{
              [r.taps.missed && `${r.taps.missed} missed`, r.taps.doubled && `${r.taps.doubled} double`].filter(Boolean).join(", ")
            }}</small>
          </td>
        </tr>
      </tbody>
    </table>

    <ul v-if="view.state.notes.length || view.state.off_beat.length" class="log">
      <li v-for="(o, k) in view.state.off_beat" :key="k">{{ offBeat(o, work?.start_ms ?? 0) }}</li>
      <li v-for="(note, k) in view.state.notes" :key="`n${k}`">{{ note }}</li>
    </ul>
    <button v-if="working" type="button" class="lost" @click="emit('lost', off)">
      {{ off ? "Back on the beat" : "Off the beat" }} <kbd>C</kbd>
    </button>
    <form class="remark" @submit.prevent="add">
      <label class="visually-hidden" for="remark">Remark</label>
      <input id="remark" v-model="text" maxlength="400" placeholder="Add a remark" autocomplete="off" />
    </form>
  </section>
</template>

<style scoped>
.say {
  background: var(--card);
  border-left: 5px solid var(--fjord);
  border-radius: 8px;
  padding: 14px 16px;
}
.say.ask {
  border-color: var(--ochre);
  background: var(--ochre-wash);
}
.say.due {
  border-color: var(--ember);
}
.say h2 {
  color: var(--ink);
  font-size: 21px;
  margin-bottom: 4px;
}
.say p {
  color: var(--soft);
  margin: 0;
}
.say p + p {
  margin-top: 6px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: right;
  padding: 7px 4px;
  border-bottom: 1px solid var(--line);
  font-weight: 400;
}
th {
  color: var(--soft);
  font-size: 15px;
}
th:first-child,
td:first-child {
  text-align: left;
}
.bpm {
  font-size: 26px;
  font-weight: 600;
}
small {
  color: var(--soft);
  font-family: var(--text);
}
.log {
  margin: 0;
  padding-left: 18px;
  color: var(--soft);
}
.lost {
  align-self: flex-start;
  font: 600 16px var(--text);
  min-height: 48px;
  padding: 8px 16px;
  border-radius: 10px;
  border: 1px solid var(--line);
  background: none;
  color: var(--ink);
}
.remark {
  margin-top: auto;
}
.remark input {
  width: 100%;
  font: inherit;
  min-height: 48px;
  padding: 8px 12px;
  border-radius: 8px;
  border: 1px solid var(--line);
  background: var(--card);
  color: var(--ink);
}
.remark input::placeholder {
  color: var(--soft);
}
</style>
