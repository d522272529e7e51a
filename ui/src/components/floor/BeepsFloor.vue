<script setup lang="ts">
import { onKeyStroke, useSessionStorage } from "@vueuse/core";
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from "vue";
import type { StopReason } from "@/api/types";
import SymptomsCard from "@/components/SymptomsCard.vue";
import BeepCourseView from "@/components/floor/BeepCourseView.vue";
import BeepTiles, { type Runner } from "@/components/floor/BeepTiles.vue";
import OneIsOut from "@/components/floor/OneIsOut.vue";
import SquadCourse from "@/components/floor/SquadCourse.vue";
import SoundTest from "@/components/floor/SoundTest.vue";
import type { Floor } from "@/floor/useFloor";
import { useBeeps } from "@/floor/useBeeps";
import { useMany } from "@/floor/useMany";
import { minutes } from "@/logic/dates";
import { finds, isMine } from "@/logic/runners";
import { useRun } from "@/stores/run";

/** A squad that runs to beeps: a tap is a missed line, a second's hold is leaving, the score stands the moment somebody is out. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean; ending: number }>();
const emit = defineEmits<{ finish: [] }>();
const run = useRun();
const { ms, running, sounding, soundOn, soundOff, unsounded } = props.floor;
const { known, people, said, say, undo } = useMany();
const { course, beeps, at, now, paused, startsIn } = useBeeps(props.floor);
const board = computed(() => run.view!.board!);
const started = computed(() => run.startedAt !== null);
/** Stages that are run to the clock are called by their speed. */
const isTimed = computed(() => course.value?.by_clock ?? false);
const open = computed(() => started.value && !props.closed && running.value);
/** Whose runners this screen looks after: numbers or first letters, `1-20` or `A-M`; all where nothing is said. */
const mine = useSessionStorage(`impulso.mine.${run.view!.id}`, "");

const runners = computed<Runner[]>(() =>
  people.value
    .map((p) => {
      const tile = board.value.tiles.find((t) => t.slot === p.slot)!;
      const missed = tile.missed != null && now.value !== null && now.value.judged <= tile.missed + 1 && tile.stand === "going";
      const past = tile.past != null && now.value !== null && now.value.sounded >= tile.past && tile.stand === "going";
      return { ...p, tile, missed: missed || tile.note === "one miss", past, mine: isMine(p, mine.value) };
    })
    .sort((a, b) => a.number - b.number || a.slot - b.slot),
);
const count = (is: (r: Runner) => boolean) => runners.value.filter(is).length;
const isIn = (r: Runner) => r.tile.stand === "going" || r.tile.stand === "waiting";
const left = computed(() => runners.value.filter(isIn));
const out = computed(() => new Set(runners.value.filter((r) => !isIn(r)).map((r) => r.slot)));
const everybodyOut = computed(() => started.value && left.value.length === 0);

const wrong = ref<string | null>(null);
/** Who is asked about: why they leave, or whether they run on. */
const leaving = ref<{ one: Runner; atMs: number } | null>(null);
const back = ref<Runner | null>(null);
/** What the next tap means, where it is not the usual. */
const mode = ref<"usual" | "late">("usual");
const nameOf = (one: Runner) => `${one.number} ${one.name}`;

function tap(one: Runner, atMs: number) {
  wrong.value = null;
  if (!open.value || !known.value) return;
  if (mode.value === "late") {
    mode.value = "usual";
    return void say({ kind: "set_off" }, one.slot, `${nameOf(one)} starts late`);
  }
  if (!isIn(one)) return void ([back.value, leaving.value] = [one, null]);
  if (startsIn.value !== null) return void (wrong.value = "Nobody has set off yet.");
  void say({ kind: "line_missed" }, one.slot, `${nameOf(one)} missed`, atMs);
}
function hold(one: Runner, atMs: number) {
  wrong.value = null;
  if (!open.value || !known.value) return;
  if (!isIn(one)) return void ([back.value, leaving.value] = [one, null]);
  [leaving.value, back.value] = [{ one, atMs }, null];
}
const REASONS: [StopReason, string][] = [
  ["volitional", "By choice"],
  ["fatigue", "Fatigue"],
  ["symptoms", "Pain or symptoms"],
  ["equipment", "Equipment"],
  ["assessor", "My call"],
];
/** Somebody has pain or symptoms: what is done next is said until it is put away. */
const symptoms = ref<string | null>(null);
async function leaves(reason: StopReason) {
  const { one, atMs } = leaving.value!;
  leaving.value = null;
  if (reason === "symptoms") symptoms.value = nameOf(one);
  await say({ kind: "left_run", reason }, one.slot, `${nameOf(one)} leaves`, atMs);
}
async function putBack() {
  const one = back.value!;
  back.value = null;
  await say({ kind: "put_back_in" }, one.slot, `${nameOf(one)} back in`);
}
const pause = () => say({ kind: "paused" }, undefined, "the pause");
const goOn = (anew: boolean) => say(anew ? { kind: "went_on", anew } : { kind: "went_on" }, undefined, "going on");

/** What is typed finds a runner: a number, or the first letters of a name. */
const typed = ref("");
const typedAt = ref(0);
const field = useTemplateRef<HTMLInputElement>("no");
watch(typed, (text, before) => text && !before && (typedAt.value = ms.value));
const found = computed(() => (typed.value.trim() ? finds(runners.value, typed.value) : []));
function enter() {
  wrong.value = null;
  const [one, another] = found.value;
  if (!typed.value.trim()) return;
  if (!one) return void (wrong.value = `Nobody here is called or wears “${typed.value.trim()}”.`);
  if (another) return void (wrong.value = `${found.value.length} runners begin so. Type more of the name, or the number.`);
  typed.value = "";
  tap(one, typedAt.value);
}

/** The test ends for those who still run, at the last line they made. */
const asking = ref(false);
watch(
  () => props.ending,
  () => (asking.value = true),
);
async function end() {
  asking.value = false;
  await Promise.all(left.value.map((one) => say({ kind: "left_run", reason: "assessor" }, one.slot, `${nameOf(one)}: the test ended`)));
  emit("finish");
}

/** Beeps that this device slept through are named for a while. */
const slept = ref<string | null>(null);
let forget: number | undefined;
watch(unsounded, (missed) => {
  if (!missed.length) return;
  const names = missed.map((m) => m.words);
  slept.value = names.length > 3 ? `${names[0]} to ${names.at(-1)} (${names.length} beeps)` : names.join(" and ");
  unsounded.value = [];
  window.clearTimeout(forget);
  forget = window.setTimeout(() => (slept.value = null), 20_000);
});
onBeforeUnmount(() => window.clearTimeout(forget));

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.defaultPrevented || !open.value || event.ctrlKey || event.metaKey || event.altKey) return;
  if (target.closest("textarea, [role=alertdialog]") || (target.closest("input") && target !== field.value)) return;
  // A single letter could be the beginning of a name: what the keys mean they mean with Shift held, or on the keys themselves.
  if (event.key === "Escape") [typed.value, leaving.value, back.value, asking.value] = ["", null, null, false];
  else if (event.key === "Backspace" && event.shiftKey) void undo();
  else if (event.key === " " && !target.closest("button, a") && !typed.value) void (paused.value ? goOn(false) : pause());
  else if (/^[\p{L}\d]$/u.test(event.key) && target !== field.value && !target.closest("button, a")) {
    typed.value += event.key;
    field.value?.focus();
  } else return;
  event.preventDefault();
});
</script>

<template>
  <main class="beeps">
    <section class="top">
      <div v-if="now" class="level">
        <b class="num">{{ isTimed ? now.speed.toFixed(1) : now.level }}</b>
        <span>
          <template v-if="isTimed">km/h</template>
          <template v-else>shuttle {{ now.shuttle }} of {{ now.of }}</template>
          <small class="soft">
            <template v-if="!isTimed">{{ now.speed }} km/h · </template>{{ Math.round(now.distance) }} m so far ·
            {{ minutes(Math.max(0, ms - (beeps?.pieces[0]?.from_ms ?? 0))) }}
          </small>
        </span>
      </div>
      <BeepCourseView v-if="course && now" :course="course" :now="now" :paused="paused" :started="started" :starts-in="startsIn">
        <template v-if="run.view?.rehearsal" #default
          ><SquadCourse :id="run.view.id" :rate="run.view.rehearsal.rate" :course="course" :s="at" :out="out"
        /></template>
      </BeepCourseView>
      <ul v-if="started" class="counts">
        <li>
          <b class="num">{{ left.length }}</b> running
        </li>
        <li class="care">
          <b class="num">{{ count((r) => r.missed && isIn(r)) }}</b> missed one
        </li>
        <li>
          <b class="num">{{ count((r) => !isIn(r)) }}</b> out
        </li>
      </ul>
      <slot v-else name="start" />
    </section>
    <SoundTest v-if="!started" :floor="floor" />
    <div v-if="symptoms" class="told">
      <b>{{ symptoms }}</b>
      <SymptomsCard />
      <button type="button" class="quiet" @click="symptoms = null">Close</button>
    </div>
    <p v-if="slept" class="told" role="alert">Did not sound on this device: {{ slept }}. The clock and the level are right.</p>
    <BeepTiles
      :class="{ low: run.view?.rehearsal }"
      :runners="runners"
      :open="open"
      :picking="mode !== 'usual'"
      :found="found"
      :ms="ms"
      @tap="tap"
      @hold="hold"
    />
    <div class="below"><slot name="below" /></div>
    <p v-if="run.refused" class="told" role="alert">{{ run.refused.message }}</p>
  </main>
  <footer class="foot">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <OneIsOut v-if="leaving" :name="nameOf(leaving.one)" :reasons="REASONS" @reason="leaves" @back="leaving = null" />
    <div v-else-if="back" class="ask" role="alertdialog" :aria-label="`${nameOf(back)} is out`">
      <span>{{ nameOf(back) }} is out{{ back.tile.shown ? `: ${back.tile.shown}` : "" }}.</span>
      <button type="button" class="main" @click="putBack">Put back in</button>
      <button type="button" class="quiet" @click="back = null">Cancel</button>
    </div>
    <div v-else-if="asking && left.length" class="ask" role="alertdialog" aria-label="End the test">
      <span
        >{{ left.length === 1 ? "1 runner still runs" : `${left.length} runners still run` }}: the last line they made is their score.</span
      >
      <button type="button" class="main" :disabled="finishing" @click="end">End the test for all</button>
      <button type="button" class="quiet" @click="asking = false">Go on</button>
    </div>
    <template v-else-if="open">
      <form class="entry" @submit.prevent="enter">
        <label for="beeps-no" class="visually-hidden">Number or name</label>
        <input
          id="beeps-no"
          ref="no"
          v-model="typed"
          class="num"
          @input="wrong = null"
          autocomplete="off"
          maxlength="20"
          placeholder="no. or name"
        />
      </form>
      <span v-if="typed && found[0]" class="soft">{{
        found.length === 1 ? `${nameOf(found[0])}: Enter is a miss` : `${found.length} runners`
      }}</span>
    </template>
    <template v-else-if="!started">
      <p class="soft keys">
        <kbd>tap</kbd> missed the line · <kbd>hold</kbd> stops by choice · <kbd>0–9 A–Z</kbd> find a runner
        <template v-if="beeps?.clears">· a line made clears a miss</template>
      </p>
      <label v-if="runners.length > 1" class="mine"
        >My runners
        <input v-model="mine" class="num" placeholder="all, or 1-20, or A-M" maxlength="12" autocomplete="off" />
      </label>
    </template>
    <div v-if="!leaving && !back && !(asking && left.length)" class="choices pairs">
      <template v-if="open">
        <template v-if="paused">
          <button type="button" class="main" @click="goOn(false)">Go on at level {{ now?.level }} <kbd>Space</kbd></button>
          <button type="button" @click="goOn(true)">Begin again</button>
        </template>
        <button v-else-if="!everybodyOut" type="button" class="quiet" @click="pause">Pause <kbd>Space</kbd></button>
        <button
          v-if="!paused && runners.length > 1"
          type="button"
          class="quiet"
          :class="{ on: mode === 'late' }"
          :aria-pressed="mode === 'late'"
          @click="mode = mode === 'late' ? 'usual' : 'late'"
        >
          {{ mode === "late" ? "Tap who starts now" : "Start late" }}
        </button>
        <button type="button" class="quiet" @click="sounding ? soundOff() : soundOn()">{{ sounding ? "Sound off" : "Sound on" }}</button>
        <button v-if="said.length" type="button" class="quiet undo" @click="undo">Undo: {{ said.at(-1)!.what }}</button>
      </template>
      <button v-if="everybodyOut && !closed" type="button" class="main" :disabled="finishing" @click="emit('finish')">
        Save all results
      </button>
    </div>
  </footer>
</template>

<style scoped>
main.beeps {
  display: flex;
  flex-direction: column;
  overflow-y: auto;
}
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 30px;
  align-items: center;
  padding: 10px 20px;
  border-bottom: 1px solid var(--line);
}
.level {
  display: flex;
  align-items: flex-end;
  gap: 10px;
  min-width: 236px;
}
.level b {
  font-size: 76px;
  line-height: 0.95;
  font-weight: 650;
}
.level span {
  font-size: 20px;
  line-height: 1.3;
}
.level small {
  display: block;
  font-size: 15px;
}
.counts {
  list-style: none;
  margin: 0;
  padding: 0;
  min-width: 128px;
  font-size: 16px;
  color: var(--soft);
}
.counts b {
  display: inline-block;
  min-width: 1.6em;
  font-size: 22px;
  color: var(--ink);
}
.counts .care {
  border: 0;
  background: none;
}
.counts .care b {
  color: var(--ochre);
}
.told {
  margin: 8px 16px 0;
  padding: 8px 14px;
  border-left: 5px solid var(--ochre);
  background: var(--ochre-wash);
}
main.beeps .low :deep(button.tile) {
  min-height: 80px;
}
.below:not(:empty) {
  padding: 0 20px;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.foot {
  gap: 10px 14px;
}
.floor .foot .entry {
  padding: 2px 10px;
}
.floor .foot .entry input {
  font-size: 20px;
  width: 156px;
}
.floor .foot .choices {
  gap: 8px;
}
.floor .foot .choices button {
  padding: 8px 14px;
}
.keys {
  margin: 0;
  font-size: 15px;
}
.undo {
  max-width: 300px;
}
.mine {
  display: flex;
  align-items: center;
  gap: 10px;
  color: var(--soft);
}
.mine input {
  min-height: 44px;
  width: 260px;
  padding: 4px 10px;
  font-size: 17px;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 8px;
}
@media (max-width: 900px) {
  /* The level never leaves the screen. */
  .top {
    position: sticky;
    top: 0;
    z-index: 1;
    padding: 8px 12px;
    background: var(--paper);
  }
  .floor .foot .entry input {
    width: 100%;
  }
  .counts b {
    min-width: 0;
  }
  .level b {
    font-size: 54px;
  }
  .counts {
    display: flex;
    gap: 14px;
  }
  .keys {
    display: none;
  }
}
</style>
