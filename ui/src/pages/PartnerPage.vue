<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, ref, watch } from "vue";
import BeatArc from "@/components/BeatArc.vue";
import FloorClock from "@/components/floor/FloorClock.vue";
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
const slot = ref<number | null>(sessionStorage.getItem(kept) === null ? null : Number(sessionStorage.getItem(kept)));
const count = useCount(floor, () => slot.value ?? undefined);
const { inWindow, due, reading, tapsHere } = count;
const text = ref("");
const wrong = ref<string | null>(null);
const field = ref<HTMLInputElement>();
const again = ref(false);

void run.open({ code: props.code });
onBeforeUnmount(() => run.close());

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
const figures = computed(() => {
  if (run.startedAt === null) return minutes(0);
  const now = phase.value;
  if (now?.kind === "work") return minutes(ms.value - now.start_ms);
  if (now?.end_ms != null) return String(Math.max(1, Math.ceil((now.end_ms - ms.value) / 1000)));
  return minutes(ms.value - (phases.value.find((p) => p.kind === "transition")?.start_ms ?? 0));
});
const heading = computed(() => {
  if (run.view?.closed) return "Finished";
  return run.startedAt === null ? "Waiting for the start" : (phase.value?.label ?? "");
});
function choose(which: number) {
  slot.value = which;
  sessionStorage.setItem(kept, String(which));
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
      <p v-if="run.failure" role="alert">{{ run.failure.message }}</p>
      <p v-else class="soft">One moment…</p>
      <RouterLink v-if="run.failure" class="go" to="/join">Type the code again</RouterLink>
    </div>
    <template v-else>
      <header>
        <b>{{ me ? `You count for ${me.name}` : run.view.protocol_name }}</b>
        <span :class="{ away: run.away }" role="status">{{ saved }}</span>
      </header>
      <section v-if="slot === null" class="who">
        <h1>Whose partner are you?</h1>
        <button v-for="p in run.view.performers" :key="p.slot" type="button" @click="choose(p.slot)">
          <span>{{ p.name }}</span><small v-if="p.reading?.bpm != null">counted</small>
        </button>
      </section>
      <section v-else class="clock">
        <FloorClock
          :figures="figures"
          :hot="inWindow"
          :heading="heading"
          :cue="run.startedAt === null ? 'The teacher starts the clock for everyone.' : (phase?.cue ?? '')"
          :call="call"
        />
        <BeatArc
          v-if="state?.timeline.beat && running && (phase?.kind === 'work' || phase?.kind === 'count_in') && run.startedAt !== null"
          :beat="state.timeline.beat"
          :ms="beatMs"
        />
        <div v-if="inWindow" class="pad">
          <p class="big">Tap on each beat, or just count</p>
          <p class="num taps">{{ tapsHere }}</p>
        </div>
        <form v-else-if="due && !done && !run.view.closed" class="entry due" @submit.prevent="enter">
          <label for="beats">Beats in {{ run.view.count?.window_s }} s</label>
          <input id="beats" ref="field" v-model="text" class="num" inputmode="decimal" maxlength="5" autocomplete="off" />
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
        <p v-if="run.view.closed" class="big">Thank you. The run is closed.</p>
        <button v-if="run.startedAt === null" type="button" class="quiet" @click="slot = null">Not {{ me?.name }}? Choose again</button>
        <button
          v-if="running && run.startedAt !== null && !floor.sounding.value && phase?.kind === 'work'"
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
