<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from "vue";
import { useRouter } from "vue-router";
import { floorOf, RehearsalBar } from "@/components/floor/floors";
import NotTaken from "@/components/floor/NotTaken.vue";
import StopSheet from "@/components/StopSheet.vue";
import { isOffBeat } from "@/floor/offBeat";
import { speechWanted } from "@/floor/speech";
import { useFloor } from "@/floor/useFloor";
import type { SheetRow } from "@/api/types";
import { circumstance } from "@/logic/conditions";
import { ofFloor } from "@/logic/floor";
import { note } from "@/outbox/queue";
import { useRun } from "@/stores/run";
import { useWaiting } from "@/stores/waiting";

/** A run in progress: what every family has in common, with the family's own floor inside. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const run = useRun();
const waiting = useWaiting();
const floor = useFloor();
const { call, saved, state, status, running } = floor;
/** This screen brings the run to its end: what follows waits for the answer to that, whatever else arrives before it. */
const finishing = ref(false);

void run.open({ run: props.id });
let left = false;
onBeforeUnmount(() => {
  left = true;
  run.close();
});

const stopped = computed(() => status.value === "stopped");
const many = computed(() => (run.view?.performers.length ?? 0) > 1);
const closedHere = computed(() => run.view?.closed === true);
/** It was open when this screen came to it. */
const seenOpen = ref(false);
watch(
  () => run.view?.closed,
  (closed) => closed === false && (seenOpen.value = true),
  { immediate: true },
);
const over = computed(() => closedHere.value && !finishing.value);
const inner = computed(() => floorOf(run.view, state.value?.of.floor));
const about = computed(() => [run.view?.protocol_name, ...(run.view?.conditions ?? []).map(circumstance)].join(" · "));
/** It is over here, and nothing answers: what it came to is worked out on this screen. */
const keptHere = computed(() => run.away && !closedHere.value && (run.outcomes.length > 0 || status.value === "discarded"));
/** What it came to stands in its visit too, until the server knows it. */
watch(keptHere, async (kept) => {
  if (!kept) return;
  const ended = status.value === "discarded" ? "discarded" : many.value || status.value === "finished" ? "finished" : "stopped";
  const results = run.outcomes.filter((o) => o.headline);
  const has = (p: { slot: number; out?: string | null }) => !p.out && results.some((o) => o.slot === p.slot);
  const did = (run.view?.performers ?? []).filter(has).flatMap((p) => p.person ?? []);
  await note(props.id, { ended, came: results.map((o) => o.headline!), did }).catch(() => undefined);
});
/** What says that it is over lies over the floor: nothing under it takes a key any more. */
const under = computed(() => keptHere.value || over.value);
/** Whether the next page opens without a network. */
const goesOn = computed(() => keptHere.value && "serviceWorker" in navigator && navigator.serviceWorker.controller !== null);
const on = useTemplateRef<{ $el: HTMLElement }>("on");
watch(on, (link) => link?.$el.focus());
/** Where it goes on from a test that is over on this screen alone. */
const onwards = computed(() => {
  const view = run.view;
  if (!view || view.rehearsal) return null;
  if (view.visit) return { to: `/visits/${view.visit}/floor`, says: "Go on with the visit" };
  if (view.group_visit) return { to: `/group-visits/${view.group_visit}`, says: "Back to the group" };
  return view.person ? { to: `/people/${view.person}`, says: `Back to ${view.name}` } : { to: "/", says: "Today" };
});
/** Where the run leads once it is closed. */
const after = computed(() => {
  if (!run.view) return "/";
  if (run.view.rehearsal) return `/rehearsals/${run.view.id}`;
  if (run.view.visit) return `/visits/${run.view.visit}/floor`;
  if (run.view.result) return `/results/${run.view.result}`;
  if (run.view.group_visit) return `/group-visits/${run.view.group_visit}`;
  return many.value ? `/classes/${run.view.id}` : `/people/${run.view.person}`;
});

/** The last thing that happens to a run. One that closes nothing (a reading is still missing) leaves the screen as it was. */
async function end(kind: "finished" | "discarded") {
  finishing.value = true;
  await run.settled(await run.record({ kind }));
  if (left) return;
  if (closedHere.value) await router.replace(after.value);
  finishing.value = false;
}
const finish = () => end("finished");
const discard = () => end("discarded");
async function undo() {
  await run.undo();
}
/** A run to beeps that is stopped ends at the last line of those who still run: its floor asks. */
const ending = ref(0);
async function stop() {
  if (run.view?.board?.kind === "line" && run.startedAt !== null) return void ending.value++;
  const leaving = run.startedAt === null;
  finishing.value = leaving;
  await run.record({ kind: "stopped" });
  floor.soundOff();
  if (!leaving) return;
  await run.record({ kind: "stop_explained", reason: "assessor", note: null });
  await finish();
}

/** A key that was pressed with a finger does not keep the keyboard: Space goes on meaning the large one. */
function letGo(event: MouseEvent) {
  const key = (event.target as HTMLElement).closest<HTMLElement>("button");
  if (event.detail > 0 && key === document.activeElement && !key?.closest("[role=dialog], [role=alertdialog]")) key?.blur();
}

/** Whether anything of it runs against a clock or by a stopwatch; what is only read or judged begins without one. */
const isTimed = computed(() => {
  const sheet = ofFloor(state.value, "sheet");
  const isRead = (row: SheetRow) => ["read", "ladder", "load"].includes(row.take.kind);
  return !sheet || state.value!.timeline.phases.some((p) => p.end_ms != null) || !sheet.rows.every(isRead);
});
let escaped = 0;
onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey || event.altKey || stopped.value || target.closest("textarea, select, .remark, .reason, .mine"))
    return;
  const key = event.key.toLowerCase();
  if (key === "escape") {
    if (Date.now() - escaped < 1200) void stop();
    escaped = Date.now();
  } else if ((key === " " || key === "enter") && run.startedAt === null && run.view && !target.closest("button, a")) void floor.start();
  else if ((run.view?.grid || run.view?.board) && run.startedAt !== null) return;
  else if (key === "u") void undo();
  else if (key === "c" && floor.phase.value?.kind === "work" && state.value?.timeline.beat)
    void run.record({ kind: isOffBeat(state.value) ? "cadence_regained" : "cadence_lost" });
  else if (key === "b" && run.startedAt !== null) void (floor.sounding.value ? floor.soundOff() : floor.soundOn());
  else return;
  event.preventDefault();
});
</script>

<template>
  <div class="floor" @click="letGo">
    <div v-if="run.failure && !run.view" class="lost" role="alert">
      <p>{{ run.failure.message }}</p>
      <ElButton @click="run.open({ run: id })">Try again</ElButton> <RouterLink to="/">Today</RouterLink>
    </div>
    <template v-else-if="run.view && state">
      <header :inert="under">
        <b>{{ run.view.name }}</b>
        <span class="about">{{ about }}</span>
        <span class="saved" role="status" :class="{ away: run.away }">{{ saved }}</span>
        <label class="speech"><input v-model="speechWanted" type="checkbox" /> speak</label>
        <button v-if="!over" class="stop-key" type="button" @click="stop">{{ run.startedAt === null ? "Leave" : "Stop" }}</button>
      </header>
      <NotTaken />

      <div class="under" :inert="under">
        <component
          :is="inner"
          :floor="floor"
          :closed="closedHere"
          :finishing="finishing"
          v-bind="run.view.board?.kind === 'line' ? { ending } : {}"
          @finish="finish"
          @undo="undo"
        >
          <template #start>
            <div class="start">
              <button type="button" class="go" @click="floor.start()">{{ isTimed ? "Start the clock" : "Begin" }}</button>
              <span class="soft"><kbd>Space</kbd> {{ isTimed ? "starts it too. Sound comes on with it." : "begins it too." }}</span>
            </div>
          </template>
          <template #below>
            <RehearsalBar v-if="run.view.rehearsal && !ofFloor(state, 'beeps')" :floor="floor" />
            <button
              v-if="running && state.timeline.beat && floor.ms.value < state.timeline.beat.until_ms && run.startedAt !== null"
              type="button"
              class="quiet sound"
              @click="floor.sounding.value ? floor.soundOff() : floor.soundOn()"
            >
              {{ floor.sounding.value ? "Turn the beat off" : "The beat is silent. Turn it on" }} <kbd>B</kbd>
            </button>
          </template>
        </component>
      </div>

      <StopSheet
        v-if="stopped"
        :state="state"
        @undo="undo"
        @close="finish"
        @discard="discard"
        @explain="(reason, note) => run.record({ kind: 'stop_explained', reason, note })"
      />
      <div v-if="keptHere" class="over" role="alertdialog" :aria-labelledby="`over-${run.view?.id}`">
        <div class="box">
          <h2 :id="`over-${run.view?.id}`">{{ status === "discarded" ? "Discarded" : "Finished, saved on this device" }}</h2>
          <ul v-if="run.outcomes.length" class="came">
            <li v-for="o in run.outcomes" :key="o.slot">
              <span v-if="many" class="soft">{{ o.name }}</span>
              <b>{{ o.headline ?? "No result." }}</b>
              <span v-for="c in o.changes" :key="c">{{ c }}</span>
            </li>
          </ul>
          <p v-if="run.notTaken" class="wrong" role="alert">It is not in the record yet. {{ run.notTaken }}</p>
          <p class="soft">
            There is no network. <template v-if="!goesOn">Keep this page open: </template>{{ goesOn ? "This" : "this" }} is sent by itself
            when the network is back.
          </p>
          <RouterLink v-if="goesOn && onwards" ref="on" class="go" :to="onwards.to">{{ onwards.says }}</RouterLink>
        </div>
      </div>
      <div v-else-if="over" class="over" role="alertdialog" :aria-label="seenOpen ? 'Finished on another screen' : 'This test is finished'">
        <div class="box">
          <h2>{{ seenOpen ? "Finished on another screen" : "This test is finished" }}</h2>
          <p>{{ status === "discarded" ? "It was discarded and does not count." : "Its result is saved." }}</p>
          <p v-for="words in waiting.told" :key="words">{{ words }}</p>
          <p v-if="run.late > 0">
            {{ run.late }} of this screen’s entries came after that. They are saved with the record and change nothing.
          </p>
          <RouterLink ref="on" class="go" :to="after">See the result</RouterLink>
        </div>
      </div>
    </template>
    <p v-else class="lost soft" role="status">One moment…</p>
    <p class="visually-hidden" role="status">{{ call }}</p>
  </div>
</template>

<style scoped>
.under {
  display: contents;
}
.floor {
  background: var(--paper);
  color: var(--ink);
  height: 100vh;
  height: 100dvh;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  grid-template-rows: auto auto minmax(0, 1fr) auto;
}
/* What was not taken has a row of its own, which is empty most of the time. */
.under > :deep(main) {
  grid-row: 3;
}
.under > :deep(footer) {
  grid-row: 4;
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
  max-width: 40vw;
  overflow: hidden;
  text-overflow: ellipsis;
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
.start {
  display: flex;
  align-items: center;
  gap: 18px;
  margin-top: 26px;
  flex-wrap: wrap;
}
.start .go {
  font-size: 21px;
  min-height: 64px;
  padding: 8px 34px;
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
  max-width: 520px;
  max-height: 92dvh;
  overflow-y: auto;
}
.came {
  list-style: none;
  margin: 18px 0;
  padding: 0;
  display: grid;
  gap: 12px;
}
.came li {
  display: grid;
}
.came b {
  font-size: 24px;
}
@media (max-width: 900px) {
  .floor {
    height: auto;
    min-height: 100vh;
    min-height: 100dvh;
  }
  header {
    padding: 6px 12px;
    gap: 10px;
    flex-wrap: wrap;
    row-gap: 2px;
  }
  header b {
    flex: 1 1 40%;
    max-width: none;
    max-height: 2.4em;
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
}
</style>
