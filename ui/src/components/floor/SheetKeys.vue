<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";
import type { SheetRow } from "@/api/types";
import type { Watched } from "@/floor/useWatched";
import { bout, how, rowName, rules, sentence } from "@/logic/sheet";
import { hasSign } from "@/logic/signs";
import { expected, typed } from "@/logic/typed";
import { shownUnit, toShown } from "@/logic/units";
import { question } from "@/logic/usual";
import { useRun } from "@/stores/run";

/** The keys for what is taken now: one large one, and what else there is to say. */
const props = defineProps<{
  row: SheetRow;
  advice: number | null;
  started: boolean;
  running: boolean;
  countingIn: boolean;
  timing: boolean;
  startOpen: boolean;
  styles: SheetRow[];
  watched: Watched;
  /** What is counted beside what the large key counts. */
  beside: { input: string; label: string }[];
  /** Nothing is left to be counted. */
  nought: boolean;
  canFinish: boolean;
  /** The bell has rung: nothing more is counted. */
  rung: boolean;
  /** What is asked before the result is kept: before the bell, or with one side of two. */
  asking: string | null;
  finishing: boolean;
  undoable: string | null;
  /** Beats that were missed in a row, where some end the count. */
  missed: { most: number; missed: number; over_ms?: number | null } | null;
  /** A heart rate that is called: whether its beats are counted, what is asked for then, what was tapped. */
  counted: boolean | null;
  asked: string | null;
  offered: number | null;
}>();
const emit = defineEmits<{
  begin: [];
  end: [];
  tally: [by: 1 | -1];
  cross: [];
  take: [value: unknown];
  lift: [load: number, made: boolean, reason: string | null];
  style: [row: SheetRow];
  beside: [input: string];
  way: [];
  finish: [];
  stay: [];
  undo: [];
  missed: [];
  heavier: [input: string];
}>();
const run = useRun();
const units = computed(() => run.view?.units ?? "metric");
const way = computed(() => how(props.row));
const text = ref("");
const points = ref<Record<string, boolean>>({});
const wrong = ref<string | null>(null);
const field = ref<HTMLInputElement>();
const live = computed(() => props.started && props.running && !props.countingIn && !props.nought && !props.rung);
const full = computed(
  () =>
    (props.row.tries > 1 && props.row.cells.length >= props.row.tries) ||
    (way.value === "seen" && props.watched.isOver(props.row.leg)) ||
    (way.value === "ladder" && props.watched.ended.value),
);
/** A count against a clock of its own that has not been started. */
const waits = computed(() => bout(props.row) > 0 && !props.row.cells.length && !props.timing);
const ladder = computed(() => props.watched.ladder.value);
const looksFor = computed(() => (way.value === "seen" ? rules<{ keys: { input: string; label: string }[] }>(props.row).keys : []));
const zero = computed(() => (way.value === "watch" ? rules<{ zero?: string | null }>(props.row).zero : null));
/** Read and typed: numbers and words have a field, the rest has keys. */
const hasField = computed(
  () =>
    (way.value === "read" && ["number", "words"].includes(props.row.kind)) ||
    way.value === "load" ||
    way.value === "watch" ||
    (way.value === "count" && !props.nought && !waits.value),
);
/** What the set is followed by, where it had too many repetitions to tell anything. */
const heavier = computed(() =>
  way.value === "count" && props.row.again ? (rules<{ heavier?: { load: string } | null }>(props.row).heavier ?? null) : null,
);
const typing = computed(() => way.value === "read" && hasField.value);

watch(
  () => [props.row.input, props.row.side, props.started, props.row.cells.length] as const,
  async ([input, side], before) => {
    if (before && (before[0] !== input || before[1] !== side)) {
      text.value = "";
      wrong.value = null;
      points.value = {};
      propose(props.advice);
    }
    await nextTick();
    if (
      props.started &&
      (typing.value || way.value === "load") &&
      !(document.activeElement as HTMLElement | null)?.closest(".remark, .reason")
    )
      field.value?.focus();
  },
  { immediate: true },
);
function propose(kg: number | null) {
  if (way.value === "load") text.value = kg === null ? "" : String(toShown(kg, "kg", units.value));
  else if (way.value === "read" && props.row.unit === "kg" && kg !== null && !text.value)
    text.value = String(toShown(kg, "kg", units.value));
}
watch(() => props.advice, propose, { immediate: true });
watch(
  () => props.offered,
  (bpm, before) => text.value === (before != null ? String(before) : "") && (text.value = bpm != null ? String(bpm) : ""),
);
watch(
  () => run.refused,
  (refused) => {
    if (!refused) return;
    wrong.value = refused.message;
    const { event } = refused;
    if (!text.value && event.kind === "taken" && typeof event.value === "number")
      text.value = String(toShown(event.value, props.row.unit, units.value));
    if (!text.value && event.kind === "lifted") text.value = String(toShown(event.load_kg, "kg", units.value));
  },
);

/** An unusual value that was asked about. */
const meant = ref<string | null>(null);
function number(sign: 1 | -1 = 1): number | null {
  const value = typed(text.value, props.row.unit, units.value);
  wrong.value = value === null ? expected(props.row.unit, units.value) : null;
  const odd = value === null || props.counted ? null : question(sign * value, props.row.unit, props.row.usual, units.value);
  // What is merely unusual is asked about; the same key again keeps it.
  if (odd && meant.value !== text.value) {
    meant.value = text.value;
    wrong.value = `${odd.ask} Correct it, or press again to keep it.`;
    return null;
  }
  return value;
}
function enter(): void {
  if (!text.value.trim()) {
    if (props.canFinish) emit("finish");
    return;
  }
  if (way.value === "load") return void (wrong.value = "Made or missed? Press M or X.");
  if (props.row.kind === "words") emit("take", text.value.trim());
  else {
    const typedIn = typed(text.value, props.row.unit, units.value);
    if (props.row.signs && typedIn) {
      const { minus, plus } = props.row.signs;
      if (!plus) return onSide(-1);
      return void (wrong.value = hasSign(text.value)
        ? `Type the length without a sign, then press ${minus} or ${plus}.`
        : `${sentence(minus)} or ${plus}? Press one of the two.`);
    }
    const value = number();
    if (value === null) return;
    emit("take", value);
  }
  text.value = "";
  if (!typing.value) field.value?.blur();
}
/** A length that lies on one side of its zero. */
function onSide(sign: 1 | -1): void {
  if (hasSign(text.value)) return enter();
  const value = number(sign);
  if (value === null) return;
  emit("take", sign * value);
  text.value = "";
}
/** One attempt more than was planned: only where none was missed, and with a reason. */
const beyond = computed(() => {
  const planned = way.value === "load" ? rules<{ attempts?: number | null }>(props.row).attempts : null;
  return planned != null && props.row.cells.length >= planned;
});
const why = ref("");
function lifted(made: boolean) {
  if (beyond.value && !why.value.trim()) return void (wrong.value = "Give a reason for one more attempt, then press again.");
  const load = number();
  if (load !== null) emit("lift", load, made, beyond.value ? why.value.trim() : null);
}
function judge() {
  if (props.row.choices.every(({ key }) => key in points.value)) {
    emit("take", { ...points.value });
    points.value = {};
  } else wrong.value = "Say of each point whether it was met.";
}

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  // The key that started the clock starts no stopwatch.
  if (
    event.defaultPrevented ||
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    !props.started ||
    target.closest("textarea, select, .remark, .reason, button, a")
  )
    return;
  const key = event.key.toLowerCase();
  // An empty field for a number has no use for Space: it is the clock or the count, as it is everywhere.
  const idle = key === " " && !text.value.trim() && props.row.kind !== "words";
  const inField = target.tagName === "INPUT" && !idle;
  const style = Number(key) - 1;
  if (way.value === "load" && live.value && (key === "m" || key === "x")) lifted(key === "m");
  else if (inField) return;
  else if (waits.value && key === " ") void (live.value && !event.repeat && emit("begin"));
  else if (way.value === "count" && live.value && key === " ") emit("tally", 1);
  else if (way.value === "count" && live.value && props.beside[style]) emit("beside", props.beside[style]!.input);
  else if (way.value === "count" && props.missed && live.value && key === "m") emit("missed");
  else if (way.value === "count" && (key === "x" || key === "backspace")) emit("tally", -1);
  else if (way.value === "count" && props.styles.length > 1 && props.styles[style]) emit("style", props.styles[style]);
  else if (way.value === "watch" && live.value && key === " " && !event.repeat) {
    if (props.timing) emit("end");
    else if (!full.value) emit("begin");
  } else if (way.value === "watch" && zero.value && key === "0" && !props.timing && live.value) emit("take", 0);
  else if (way.value === "starts" && live.value && key === " " && !event.repeat) emit("cross");
  else if (way.value === "ladder" && live.value && !full.value && !event.repeat && (key === " " || key === "x"))
    void props.watched.tryStage(key === " ");
  else if (way.value === "seen" && looksFor.value[style])
    void props.watched.see(looksFor.value[style]!.input, looksFor.value[style]!.label);
  else if (way.value === "seen" && live.value && !full.value && key === " " && !event.repeat) void props.watched.over();
  else if (way.value === "read" && props.row.kind === "points" && props.row.choices[style]) {
    const point = props.row.choices[style]!.key;
    points.value = { ...points.value, [point]: !points.value[point] };
  } else if (way.value === "read" && props.row.kind === "choice" && props.row.choices[style]) emit("take", props.row.choices[style]!.key);
  else if (key === "enter" && props.row.kind === "points" && Object.keys(points.value).length) judge();
  else if (key === "enter" && props.canFinish && !props.timing) emit("finish");
  else return;
  event.preventDefault();
});
</script>

<template>
  <footer class="foot keys">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="asking" class="early" role="alertdialog" aria-label="Before it is kept">
      <p>{{ asking }}</p>
      <button type="button" class="main" @click="emit('stay')">Go on</button>
      <button type="button" @click="emit('finish')">Keep it as it is</button>
    </div>
    <template v-if="started">
      <form v-if="hasField && !timing && !countingIn" class="entry" @submit.prevent="enter">
        <label for="sheet-entry">{{
          asked ?? (way === "load" ? `Load, ${shownUnit("kg", units)}` : way === "read" ? rowName(row) : "or type it")
        }}</label>
        <input
          id="sheet-entry"
          ref="field"
          v-model="text"
          class="num"
          :class="{ words: row.kind === 'words', small: way === 'watch' || way === 'count' }"
          autocomplete="off"
          inputmode="text"
          @focus="($event.target as HTMLInputElement).select()"
        />
        <template v-if="way === 'read' && row.signs">
          <button type="button" :class="{ main: text.trim() }" @click="onSide(-1)">{{ row.signs.minus }}</button>
          <button v-if="row.signs.plus" type="button" :class="{ main: text.trim() }" @click="onSide(1)">{{ row.signs.plus }}</button>
        </template>
        <button v-else-if="way === 'read'" type="submit" :class="{ main: text.trim() }">Keep <kbd>Enter</kbd></button>
        <button v-if="counted !== null" type="button" class="quiet" @click="emit('way')">
          {{ counted ? "Type the rate instead" : "Count beats instead" }} <kbd>M</kbd>
        </button>
      </form>
      <template v-if="way === 'count' && !nought">
        <template v-if="styles.length > 1">
          <button
            v-for="(s, k) in styles"
            :key="`${s.input}${s.side ?? ''}`"
            type="button"
            :class="{ next: s === row }"
            @click="emit('style', s)"
          >
            {{ rowName(s) }} <kbd>{{ k + 1 }}</kbd>
          </button>
        </template>
        <button v-if="!waits" type="button" class="quiet" @click="emit('tally', -1)">
          {{ rules<{ strike: string }>(row).strike }} <kbd>X</kbd>
        </button>
        <button v-if="missed" type="button" :disabled="!live" @click="emit('missed')">
          {{ missed.missed ? `Missed the beat, ${missed.missed} of ${missed.most}` : "Missed the beat" }} <kbd>M</kbd>
        </button>
        <button v-if="heavier" type="button" class="main" @click="emit('heavier', heavier.load)">Set over: heavier load</button>
        <button v-for="(b, k) in waits ? [] : beside" :key="b.input" type="button" :disabled="!live" @click="emit('beside', b.input)">
          {{ b.label }} <kbd>{{ k + 1 }}</kbd>
        </button>
        <button v-if="waits" type="button" class="big" :class="{ main: live }" :disabled="!live" @click="emit('begin')">
          Start {{ bout(row) }} seconds <kbd>Space</kbd>
        </button>
        <button v-else type="button" class="big" :class="{ main: live }" :disabled="!live" @click="emit('tally', 1)">
          One more <kbd>Space</kbd>
        </button>
      </template>
      <template v-else-if="way === 'watch'">
        <button v-if="zero && !timing" type="button" class="quiet" :disabled="!live" @click="emit('take', 0)">
          {{ zero }} <kbd>0</kbd>
        </button>
        <button v-if="timing" type="button" class="big main" @click="emit('end')">
          {{ rules<{ ends: string }>(row).ends }} <kbd>Space</kbd>
        </button>
        <button v-else type="button" class="big" :class="{ main: !full }" :disabled="!live || full" @click="emit('begin')">
          Start the stopwatch <kbd>Space</kbd>
        </button>
      </template>
      <button
        v-else-if="way === 'starts'"
        type="button"
        class="big"
        :class="{ main: startOpen }"
        :disabled="!startOpen"
        @click="emit('cross')"
      >
        Over the line <kbd>Space</kbd>
      </button>
      <template v-else-if="way === 'ladder' && ladder && !full">
        <label v-if="watched.choices.value.length" class="begin"
          >Begin at
          <select v-model.number="watched.from.value" class="native" @change="($event.target as HTMLSelectElement).blur()">
            <option v-for="(words, k) in watched.choices.value" :key="words" :value="k + 1">{{ k + 1 }} {{ words }}</option>
          </select></label
        >
        <button type="button" class="big" :disabled="!live" @click="watched.tryStage(false)">{{ ladder.fails }} <kbd>X</kbd></button>
        <button type="button" class="big" :class="{ main: live }" :disabled="!live" @click="watched.tryStage(true)">
          {{ ladder.passes }} <kbd>Space</kbd>
        </button>
      </template>
      <template v-else-if="way === 'seen'">
        <button v-for="(k, n) in looksFor" :key="`${k.input}${k.label}`" type="button" @click="watched.see(k.input, k.label)">
          {{ k.label }} <kbd>{{ n + 1 }}</kbd>
        </button>
        <button v-if="!full" type="button" class="big" :class="{ main: live }" :disabled="!live" @click="watched.over()">
          {{ rules<{ ends: string }>(row).ends }} <kbd>Space</kbd>
        </button>
      </template>
      <template v-else-if="way === 'load'">
        <label v-if="beyond && advice !== null" class="reason"
          >Reason for one more attempt <input v-model="why" class="native" maxlength="1000"
        /></label>
        <button type="button" class="big main" :disabled="!live || full || (beyond && advice === null)" @click="lifted(true)">
          Made <kbd>M</kbd>
        </button>
        <button type="button" class="big" :disabled="!live || full || (beyond && advice === null)" @click="lifted(false)">
          Missed <kbd>X</kbd>
        </button>
      </template>
      <template v-else-if="row.kind === 'choice'">
        <button v-for="({ key, words }, k) in row.choices" :key="key" type="button" @click="emit('take', key)">
          {{ words }} <kbd>{{ k + 1 }}</kbd>
        </button>
      </template>
      <template v-else-if="row.kind === 'points'">
        <Teleport defer to="#sheet-tiles">
          <button
            v-for="({ key, words }, k) in row.choices"
            :key="key"
            type="button"
            class="point"
            :class="{ met: points[key] === true, failed: points[key] === false }"
            :aria-pressed="points[key] === true"
            @click="points = { ...points, [key]: !points[key] }"
          >
            {{ words }}<small>{{ key in points ? (points[key] ? "met" : "not met") : "not judged" }}</small> <kbd>{{ k + 1 }}</kbd>
          </button>
        </Teleport>
        <button type="button" class="main" @click="judge">Keep the points <kbd>Enter</kbd></button>
      </template>
    </template>
    <button v-if="undoable" type="button" class="quiet" @click="emit('undo')">Undo {{ undoable }} <kbd>U</kbd></button>
    <button v-if="canFinish && !timing" type="button" :class="{ main: full || !live }" :disabled="finishing" @click="emit('finish')">
      Save result <kbd v-if="!text.trim()">Enter</kbd>
    </button>
  </footer>
</template>

<style scoped>
.early {
  flex: 1 1 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: center;
}
.early p {
  margin: 0;
  font-weight: 600;
}
.wrong {
  flex: 1 1 100%;
  margin: 0;
}
.entry input.small {
  width: 7ch;
  font-size: 22px;
}
.entry button {
  flex: none;
  white-space: nowrap;
}
@media (max-width: 560px) {
  .entry {
    flex-wrap: wrap;
  }
  .entry .quiet {
    width: 100%;
    justify-content: center;
  }
}
.entry input.words {
  width: 22ch;
  font-size: 22px;
}
.point small {
  flex: none;
  color: var(--soft);
  margin-left: auto;
  font-size: 17px;
}
.point.met {
  border-color: var(--fjord);
  background: var(--band);
}
.point.failed {
  border-color: var(--ochre);
}
</style>
