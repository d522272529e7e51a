<script setup lang="ts">
import { onKeyStroke, useWakeLock } from "@vueuse/core";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { useRouter } from "vue-router";
import BeatArc from "@/components/BeatArc.vue";
import FloorEntry from "@/components/FloorEntry.vue";
import FloorSide from "@/components/FloorSide.vue";
import ReadingNow from "@/components/ReadingNow.vue";
import StageStrip from "@/components/StageStrip.vue";
import StopSheet from "@/components/StopSheet.vue";
import { minutes } from "@/composables/dates";
import { speechWanted } from "@/floor/speech";
import { useFloor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";

const props = defineProps<{ id: string }>();
const router = useRouter();
const run = useRun();
const floor = useFloor();
const { ms, beatMs, called, state, status, running, phase, counting, inWindow, due, tapsHere } = floor;
const wake = useWakeLock();

const entry = ref<InstanceType<typeof FloorEntry>>();
const finishing = ref(false);
const leaving = ref(false);

void run.open(props.id);
watch(running, (on) => on && void wake.request("screen").catch(() => undefined));
onBeforeUnmount(() => {
  run.close();
  void floor.close();
  void wake.release().catch(() => undefined);
});

const reading = computed(() => state.value?.readings.at(-1) ?? null);
const decision = computed(() => state.value?.decision ?? null);
const asksRecount = computed(() => decision.value?.code === "recount_asked");
const canRecount = computed(
  () => decision.value?.code === "recount_asked" && decision.value.until_ms != null && ms.value < decision.value.until_ms,
);
const canKeep = computed(() => due.value && reading.value?.bpm != null && !asksRecount.value);
const stopped = computed(() => status.value === "stopped");
const elsewhere = computed(() => run.view?.result != null && !finishing.value);

/** The large figures: the work counts up, the count counts down, and afterwards the time since stopping runs. */
const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  if (inWindow.value && counting.value) return String(Math.ceil((counting.value.end - ms.value) / 1000));
  const now = phase.value;
  if (!now) return minutes(ms.value);
  if (now.kind === "count_in" || now.kind === "transition") return String(Math.max(1, Math.ceil((now.end_ms! - ms.value) / 1000)));
  if (now.kind === "work") return minutes(ms.value - now.start_ms);
  return minutes(ms.value - (floor.phases.value.find((p) => p.kind === "transition")?.start_ms ?? 0));
});
const heading = computed(() => {
  if (stopped.value) return "Stopped";
  if (run.startedAt === null) return "Ready when you are";
  if (inWindow.value) return counting.value?.again ? "Count again" : (phase.value?.label ?? "Count");
  return phase.value?.label ?? "";
});
const cue = computed(() => (run.startedAt === null ? "The beat sounds first, then three minutes." : (phase.value?.cue ?? "")));
const call = computed(() => (called.value && ms.value - called.value.at < 5000 ? called.value.say : null));
const saved = computed(() => {
  if (run.unsent > 0 && run.away) return `saved here, ${run.unsent} to send`;
  if (run.unsent > 0) return "saving…";
  return run.away ? "no connection; everything is saved" : "everything is saved";
});

watch(
  () => run.view?.result,
  (result) => finishing.value && result && void router.replace(`/results/${result}`),
);
// Closed without ever having begun: there is no result to show.
watch(status, (now) => leaving.value && now === "finished_early" && run.view && void router.replace(`/people/${run.view.person}`));

async function finish() {
  finishing.value = true;
  await run.happened({ kind: "finished" });
}
async function undo() {
  const last = state.value?.undoable;
  if (last) await run.happened({ kind: "undone", event: last.event });
}
async function stop() {
  if (run.startedAt === null) leaving.value = true;
  await run.happened({ kind: "stopped" });
  floor.soundOff();
  if (leaving.value) {
    await run.happened({ kind: "stop_explained", reason: "assessor", note: null });
    await run.happened({ kind: "finished" });
  }
}

function touch(event: PointerEvent) {
  if (!inWindow.value || (event.target as HTMLElement).closest("button, a, input")) return;
  event.preventDefault();
  floor.tap();
}

let escaped = 0;
onKeyStroke((event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || stopped.value || (event.target as HTMLElement).closest("textarea, .remark")) return;
  const key = event.key.toLowerCase();
  if (key === "escape") {
    if (Date.now() - escaped < 1200) void stop();
    escaped = Date.now();
  } else if ((key === " " || key === "enter") && run.startedAt === null && run.view && !(event.target as HTMLElement).closest("button, a"))
    void floor.start();
  else if ((key === "t" || key === " ") && run.startedAt !== null) {
    if (!event.repeat) floor.tap();
  } else if (key === "enter" && canKeep.value && entry.value?.isEmpty() && !(event.target as HTMLElement).closest("button, a, input"))
    void finish();
  else if (key === "u") void undo();
  else if (key === "c" && phase.value?.kind === "work") void run.happened({ kind: "cadence_lost" });
  else if (key === "r" && canRecount.value) floor.recount();
  else if (key === "b") void (floor.sounding.value ? floor.soundOff() : floor.soundOn());
  else return;
  event.preventDefault();
});
</script>

<template>
  <div class="floor" :class="{ tapping: inWindow }" @pointerdown="touch">
    <div v-if="run.failure && !run.view" class="lost" role="alert">
      <p>{{ run.failure.message }}</p>
      <ElButton @click="run.open(id)">Try again</ElButton> <RouterLink to="/">Today</RouterLink>
    </div>
    <template v-else-if="run.view && state">
      <header>
        <b>{{ run.view.name }}</b>
        <span class="about"
          >{{ run.view.protocol_name }} · {{ run.view.conditions.map((c) => `${c.label.toLowerCase()} ${c.value}`).join(" · ") }}</span
        >
        <span class="saved" role="status" :class="{ away: run.away }">{{ saved }}</span>
        <label class="speech"><input v-model="speechWanted" type="checkbox" /> speak</label>
        <button v-if="!elsewhere" class="stop-key" type="button" @click="stop">{{ run.startedAt === null ? "Leave" : "Stop" }}</button>
      </header>

      <main>
        <section class="left">
          <div class="clock">
            <span class="t num" :class="{ hot: inWindow, long: figures.length > 2 }" role="timer">{{ figures }}</span>
            <div>
              <h1>{{ heading }}</h1>
              <p class="cue" :class="{ call }" aria-live="assertive">{{ call ?? cue }}</p>
            </div>
          </div>
          <StageStrip :state="state" :ms="ms" />
          <div v-if="run.startedAt === null" class="start">
            <button type="button" class="go" @click="floor.start()">Start the clock</button>
            <span class="soft"><kbd>Space</kbd> starts it too. Sound comes on with it.</span>
          </div>
          <div v-else-if="inWindow" class="pad">
            <p class="big">Tap anywhere on each beat, or press <kbd>T</kbd></p>
            <p class="soft">Or just count. {{ run.view.count?.rule }}</p>
            <p class="num taps" aria-live="off">{{ tapsHere }} {{ tapsHere === 1 ? "tap" : "taps" }}</p>
          </div>
          <BeatArc
            v-else-if="state.timeline.beat && running && (phase?.kind === 'work' || phase?.kind === 'count_in')"
            :beat="state.timeline.beat"
            :ms="beatMs"
          />
          <ReadingNow v-else-if="due && reading" :reading="reading" />
          <button
            v-if="running && !floor.sounding.value && ms < (state.timeline.beat?.until_ms ?? 0) && run.startedAt !== null"
            type="button"
            class="quiet sound"
            @click="floor.soundOn()"
          >
            The beat is silent. Turn it on <kbd>B</kbd>
          </button>
        </section>
        <FloorSide
          :view="run.view"
          :ms="ms"
          :due="due"
          @lost="run.happened({ kind: 'cadence_lost' })"
          @remark="(text) => run.happened({ kind: 'noted', text })"
        />
      </main>

      <FloorEntry
        ref="entry"
        :view="run.view"
        :due="due"
        :closed="elsewhere"
        :can-keep="canKeep"
        :can-recount="canRecount"
        :finishing="finishing"
        @typed="(count) => run.happened({ kind: 'count_typed', count })"
        @keep="finish"
        @keep-first="run.happened({ kind: 'recount_waived', reason: null })"
        @recount="floor.recount()"
        @undo="undo"
      />

      <StopSheet
        v-if="stopped"
        :state="state"
        @undo="undo"
        @close="finish"
        @explain="(reason, note) => run.happened({ kind: 'stop_explained', reason, note })"
      />
      <div v-if="elsewhere" class="over" role="alertdialog" aria-label="Finished on another screen">
        <div class="box">
          <h2>Finished on another screen</h2>
          <p>This test is closed and its result stands.</p>
          <p v-if="run.late > 0">
            {{ run.late }} of this screen’s entries came after that. They are kept with the record and change nothing.
          </p>
          <RouterLink class="go" :to="`/results/${run.view.result}`">See the result</RouterLink>
        </div>
      </div>
    </template>
    <p v-else class="lost soft" role="status">One moment…</p>
  </div>
</template>

<style scoped>
.floor {
  background: var(--paper);
  color: var(--ink);
  min-height: 100vh;
  min-height: 100dvh;
  display: grid;
  grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr);
}
.floor.tapping {
  touch-action: none;
  user-select: none;
}
header {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 8px 24px;
  border-bottom: 1px solid var(--line);
}
header b {
  font-size: 20px;
  white-space: nowrap;
}
.about,
.saved,
.speech {
  color: var(--soft);
}
.about {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.saved {
  white-space: nowrap;
}
.saved.away {
  color: var(--ochre);
  font-weight: 650;
}
.speech {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 48px;
}
.speech input {
  width: 20px;
  height: 20px;
}
.stop-key {
  background: var(--madder);
  color: #22060b;
  border: 0;
  font-weight: 750;
  font-size: 18px;
  padding: 8px 28px;
}
main {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  min-height: 0;
}
.left {
  padding: 22px 28px;
  border-right: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  gap: 22px;
}
.clock {
  display: flex;
  align-items: center;
  gap: 30px;
}
.t {
  font-weight: 600;
  font-size: clamp(96px, 13vw, 168px);
  line-height: 1;
  letter-spacing: -0.05em;
  min-width: 2.1ch;
}
.t.long {
  min-width: 3.7ch;
}
.t.hot {
  color: var(--ember);
}
.clock h1 {
  font-size: clamp(26px, 3vw, 38px);
}
.clock p {
  color: var(--soft);
  font-size: 19px;
  margin: 8px 0 0;
}
.clock .cue {
  min-height: 2.9em;
}
.clock .call {
  font-weight: 700;
  color: var(--ember);
}
.start {
  display: flex;
  align-items: center;
  gap: 18px;
  margin-top: 26px;
  flex-wrap: wrap;
}
.go {
  background: var(--fjord);
  color: var(--on-fjord);
  font-size: 21px;
  min-height: 64px;
  padding: 8px 34px;
}
.pad {
  flex: 1;
  border: 3px dashed var(--ember);
  border-radius: 16px;
  display: grid;
  place-content: center;
  text-align: center;
  padding: 16px;
  min-height: 220px;
}
.big {
  font-size: 26px;
  font-weight: 650;
}
.taps {
  font-size: 40px;
  color: var(--ember);
}
.sound {
  align-self: flex-start;
  border-color: var(--ochre);
}

.over,
.lost {
  position: fixed;
  inset: 0;
  display: grid;
  place-content: center;
  gap: 12px;
  background: color-mix(in srgb, var(--paper) 86%, transparent);
  text-align: center;
}
.over .box {
  max-width: 460px;
}
@media (max-width: 900px) {
  main {
    grid-template-columns: 1fr;
    align-content: start;
  }
  .left {
    border-right: 0;
    padding: 10px 16px;
  }
  header {
    padding: 6px 12px;
    gap: 10px;
    flex-wrap: wrap;
    row-gap: 2px;
  }
  header b {
    flex: 1 1 40%;
    white-space: normal;
    line-height: 1.2;
  }
  .about {
    order: 6;
    flex: 1 1 60%;
  }
  .speech {
    order: 7;
    min-height: 32px;
  }
  .stop-key {
    order: 3;
    padding: 8px 20px;
  }

  .saved {
    font-size: 14px;
    white-space: normal;
    max-width: 110px;
    line-height: 1.2;
  }
  .clock {
    gap: 16px;
  }
  .t {
    font-size: 84px;
  }
  .clock .cue {
    font-size: 16px;
    min-height: 5.8em;
    margin-top: 2px;
  }
}
</style>
