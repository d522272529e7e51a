<script setup lang="ts">
import { useIntervalFn } from "@vueuse/core";
import { computed, nextTick, onBeforeUnmount, ref, watch } from "vue";
import { api } from "@/api/client";
import type { Tested } from "@/api/types";
import BeatArc from "@/components/BeatArc.vue";
import FloorClock from "@/components/floor/FloorClock.vue";
import PartnerTask from "@/components/floor/PartnerTask.vue";
import { minutes } from "@/logic/dates";
import { rounded } from "@/composables/numbers";
import { useCount } from "@/floor/useCount";
import { useFloor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";

/** A partner's phone: the same clock, and one performer's count. */
const props = defineProps<{ code: string }>();
const run = useRun();
const floor = useFloor();
const { ms, beatMs, call, saved, state, running, phase, phases } = floor;
const kept = `impulso.partner.${props.code}`;
/** Whom this phone stands beside: in every test of a lesson the same, until another is chosen. */
const tag = ref(sessionStorage.getItem(kept));
const slot = computed(() => run.view?.performers.find((p) => p.tag === tag.value)?.slot ?? null);
const count = useCount(floor, () => slot.value ?? undefined);
const { inWindow, due, reading, tapsHere } = count;
const text = ref("");
const wrong = ref<string | null>(null);
const field = ref<HTMLInputElement>();
const again = ref(false);

const door = () => ({ code: props.code, tag: tag.value });
void run.open(door());
onBeforeUnmount(() => run.close());
/** Between two tests of a lesson: the next one comes up by itself. */
const waits = computed(() => run.failure?.code === "nothing_runs");
/** Whom a partner can count for, in whichever test they are. */
const tested = ref<Tested[]>([]);
const isOpen = computed(() => run.view != null && !run.view.closed);
async function look() {
  if (isOpen.value && slot.value !== null) return;
  const path = { code: props.code };
  if (isOpen.value) tested.value = (await api.GET("/api/join/{code}/people", { params: { path } })).data ?? tested.value;
  if (!waits.value && !run.view?.lesson) return;
  const { data } = await api.GET("/api/join/{code}", { params: { path, query: { tag: tag.value ?? undefined } } });
  if (data && data.id !== run.view?.id && (!isOpen.value || data.performers.some((p) => p.tag === tag.value))) await run.open(door());
}
const looks = () => look().catch(() => undefined);
useIntervalFn(looks, 2000);
watch(
  () => isOpen.value && slot.value === null,
  (choosing) => choosing && looks(),
  { immediate: true },
);
/** Those of the run on this screen at once, the others as soon as they are known. */
const candidates = computed(() => {
  const here = run.view!.performers.map((p) => ({ tag: p.tag, name: p.name, counted: p.counted }));
  const others = tested.value.filter((t) => !here.some((p) => p.tag === t.tag));
  return [...here, ...others.map((t) => ({ ...t, counted: false }))];
});

const me = computed(() => run.view?.performers.find((p) => p.slot === slot.value) ?? null);
const done = computed(() => reading.value?.typed != null && !again.value);
watch(due, async (now) => {
  if (!now) return;
  await nextTick();
  field.value?.focus();
});
watch(
  () => run.refused,
  (refused) => {
    if (!refused) return;
    wrong.value = refused.message;
    again.value = true;
    if (refused.event.kind === "count_typed") text.value = String(refused.event.count);
  },
);
/** Readings are typed: no clock tells anything. */
const isTyped = computed(() => run.view?.task != null && run.view.task.kind == null);
const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  const now = phase.value;
  if (floor.ended.value) return minutes(0);
  if (now?.kind === "work") return minutes(ms.value - now.start_ms);
  if (now?.end_ms != null) return String(Math.max(1, Math.ceil((now.end_ms - ms.value) / 1000)));
  return minutes(ms.value - (phases.value.find((p) => p.kind === "transition")?.start_ms ?? 0));
});
const heading = computed(() => {
  if (run.view?.closed) return "Finished";
  return run.startedAt === null ? "Waiting for the start" : (phase.value?.label ?? (floor.ended.value ? "Time is up" : ""));
});
function choose(which: string | null) {
  tag.value = which;
  if (which) sessionStorage.setItem(kept, which);
  else sessionStorage.removeItem(kept);
  void run.open(door());
}
function enter() {
  const typed = text.value.trim().replace(",", ".");
  if (!typed || slot.value === null) return;
  wrong.value = Number.isNaN(Number(typed)) ? "Type the number of beats." : null;
  if (wrong.value) return;
  text.value = "";
  again.value = false;
  void run.record({ kind: "count_typed", count: Number(typed) }, slot.value);
}
function touch(event: PointerEvent) {
  if (!inWindow.value || (event.target as HTMLElement).closest("button, a, input")) return;
  event.preventDefault();
  count.tap();
}
</script>

<template>
  <div class="floor partner" :class="{ tapping: inWindow }" @pointerdown="touch">
    <div v-if="!run.view" class="lost">
      <p v-if="waits" class="big" role="status">{{ run.failure!.message }}</p>
      <p v-else-if="run.failure" role="alert">{{ run.failure.message }}</p>
      <p v-else class="soft">One moment…</p>
      <RouterLink v-if="run.failure && !waits" class="go" to="/join">Type the code again</RouterLink>
    </div>
    <template v-else>
      <header>
        <b>{{ me ? `You count for ${me.name}` : run.view.protocol_name }}</b>
        <span :class="{ away: run.away }" role="status">{{ saved }}</span>
      </header>
      <section v-if="slot === null" class="who">
        <h1>Whose partner are you?</h1>
        <button v-for="p in candidates" :key="p.tag" type="button" @click="choose(p.tag)">
          <span>{{ p.name }}</span><small v-if="p.counted">counted</small>
        </button>
      </section>
      <section v-else class="clock">
        <h1 v-if="isTyped" class="what">{{ run.startedAt === null ? "Waiting for the start" : run.view.protocol_name }}</h1>
        <FloorClock
          v-else
          :figures="figures"
          :hot="inWindow"
          :heading="heading"
          :cue="run.startedAt === null ? 'The teacher starts the clock for everyone.' : run.view.task ? '' : (phase?.cue ?? '')"
          :call="call"
        />
        <BeatArc
          v-if="state?.timeline.beat && running && (phase?.kind === 'work' || phase?.kind === 'count_in') && run.startedAt !== null"
          :beat="state.timeline.beat"
          :ms="beatMs"
        />
        <PartnerTask
          v-if="run.view.task && !run.view.closed"
          :key="`${run.view.id}/${slot}`"
          :floor="floor"
          :slot_="slot"
          :name="me?.name ?? ''"
        />
        <div v-if="inWindow" class="pad">
          <p class="big">Tap on each beat, or just count</p>
          <p class="num taps">{{ tapsHere }}</p>
        </div>
        <form v-else-if="due && !done && !run.view.closed" class="entry due" @submit.prevent="enter">
          <label for="beats">Beats in {{ run.view.count?.window_s }} s</label>
          <input
            id="beats"
            ref="field"
            v-model="text"
            @input="wrong = null"
            class="num"
            inputmode="decimal"
            maxlength="5"
            autocomplete="off"
          />
          <button type="submit" class="main">Send</button>
        </form>
        <div v-if="reading?.bpm != null && due" class="sent">
          <p class="big">
            <b class="num">{{ rounded(reading.bpm, 0) }}</b> bpm
          </p>
          <p>{{ me?.decision?.because }}</p>
          <button v-if="done && !run.view.closed" type="button" class="quiet" @click="again = true">Correct it</button>
        </div>
        <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
        <p v-if="run.view.closed" class="big">
          {{ run.view.lesson ? "Thank you. The next test comes up here by itself." : "Thank you. The run is closed." }}
        </p>
        <button v-if="run.startedAt === null || run.view.closed" type="button" class="quiet" @click="choose(null)">
          Not {{ me?.name }}? Choose again
        </button>
        <button
          v-if="running && run.startedAt !== null && state?.timeline.beat && !floor.sounding.value && phase?.kind === 'work'"
          type="button"
          class="quiet"
          @click="floor.soundOn()"
        >
          Sound the beat here too
        </button>
      </section>
    </template>
  </div>
</template>

<style scoped>
.partner {
  min-height: 100dvh;
  background: var(--paper);
  color: var(--ink);
}
.partner.tapping {
  touch-action: none;
  user-select: none;
}
header {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 12px 16px;
  border-bottom: 1px solid var(--line);
  color: var(--soft);
}
header b {
  color: var(--ink);
}
header .away {
  color: var(--ochre);
  font-weight: 650;
}
section {
  padding: 18px 16px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  max-width: 620px;
  margin: 0 auto;
}
.who button {
  justify-content: space-between;
  font-size: 20px;
  min-height: 58px;
}
.who small {
  color: var(--soft);
}
.what {
  font-size: 26px;
  margin: 0;
}
.pad {
  border: 3px dashed var(--ember);
  border-radius: 16px;
  min-height: 38dvh;
  display: grid;
  place-content: center;
  text-align: center;
}
.big {
  font-size: 24px;
  margin: 0;
}
.taps {
  font-size: 48px;
  color: var(--ember);
}
.sent b {
  font-size: 72px;
}
.lost {
  min-height: 100dvh;
  display: grid;
  place-content: center;
  gap: 14px;
  padding: 20px;
  text-align: center;
  justify-items: center;
}
</style>
