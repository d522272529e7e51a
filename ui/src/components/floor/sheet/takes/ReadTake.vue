<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";
import { useEntry } from "@/floor/useEntry";
import { useUnsaved } from "@/floor/useUnsaved";
import { onward, rowName, sentence } from "@/logic/sheet";
import { hasSign, withoutSign } from "@/logic/signs";
import { typed } from "@/logic/typed";
import { shownUnit } from "@/logic/units";
import { useRun } from "@/stores/run";
import SheetInput from "../SheetInput.vue";

/** Read and written down: a number, words, a choice, points of performance. The field stands in the middle of the floor. */
const sheet = theSheet();
const { row, units, wrong, taking, due, counted } = sheet;
const entry = useEntry(sheet);
const { text } = entry;
const isTyped = computed(() => ["number", "words"].includes(row.value.kind));
const points = ref<Record<string, boolean>>({});
const run = useRun();
useUnsaved(
  () => `${run.view?.id}.${row.value.input}.${row.value.side ?? ""}.${row.value.cells.length}`,
  () => (text.value || Object.keys(points.value).length ? { text: text.value, points: points.value } : null),
  (kept) => ([text.value, points.value] = [kept.text, kept.points]),
);
const save = computed(() => onward(sheet.sheet.value, sheet.at.value));
const label = computed(() => (due.value && taking.label.value) || rowName(row.value));
const unit = computed(() => (counted.value ? "beats" : shownUnit(row.value.unit, units.value)));

watch(
  () => [row.value.input, row.value.side, sheet.started.value, row.value.cells.length] as const,
  async ([input, side], before) => {
    if (before && (before[0] !== input || before[1] !== side)) {
      entry.clear();
      points.value = {};
    }
    const kg = sheet.sheet.value.advice?.kg;
    if (row.value.unit === "kg" && kg != null && !text.value) entry.put(kg);
    await nextTick();
    if (isTyped.value) entry.focus();
  },
  { immediate: true },
);
// What was tapped is offered, and a newer tap with it, as long as nothing else is typed.
watch(
  () => (due.value ? taking.suggested.value : null),
  (bpm, before) => text.value === (before != null ? String(before) : "") && (text.value = bpm != null ? String(bpm) : ""),
);

async function enter() {
  if (!text.value.trim()) return;
  if (row.value.kind === "words") await kept(text.value.trim());
  else {
    const value = typed(text.value, row.value.unit, units.value);
    if (row.value.signs && value) {
      const { minus, plus } = row.value.signs;
      if (hasSign(text.value)) wrong.value = withoutSign(row.value.signs);
      else if (plus) wrong.value = `${sentence(minus)} or ${plus}? Press one of the two.`;
      else await onSide(-1);
      return;
    }
    const number = entry.number();
    if (number !== null) await kept(number);
  }
}
/** A length that lies on one side of its zero. */
async function onSide(sign: 1 | -1): Promise<void> {
  if (hasSign(text.value)) return enter();
  const value = entry.number(sign);
  if (value !== null) await kept(sign * value);
}
async function kept(value: number | string) {
  text.value = "";
  await sheet.take(value);
}
async function judge() {
  if (row.value.choices.every(({ key }) => key in points.value)) {
    const judged = { ...points.value };
    points.value = {};
    await sheet.take(judged);
  } else wrong.value = "Mark each point as met or not met.";
}
const point = (key: string) => (points.value = { ...points.value, [key]: !points.value[key] });

const press: Keys["press"] = (key) => {
  const choice = row.value.choices[Number(key) - 1];
  if (row.value.kind === "points" && choice) point(choice.key);
  else if (row.value.kind === "points" && key === "enter" && Object.keys(points.value).length) void judge();
  else if (row.value.kind === "choice" && choice) void sheet.take(choice.key);
  // A number goes into its field, wherever the last press was.
  else if (isTyped.value && /^[\d.,+-]$/.test(key)) return (entry.focus(), false);
  else return false;
  return true;
};
defineExpose<Keys>({ press, isTyping: () => text.value.trim() !== "", focus: entry.focus });
</script>

<template>
  <Teleport v-if="isTyped && !sheet.countingIn.value" defer to="#sheet-field">
    <form class="entry" @submit.prevent="enter">
      <label class="visually-hidden" for="sheet-entry">{{ label }}</label>
      <SheetInput ref="field" v-model="text" :words="row.kind === 'words'" />
      <span v-if="unit" class="unit">{{ unit }}</span>
      <button v-if="due" type="button" class="quiet" @click="taking.change()">
        {{ counted ? "Type the rate instead" : "Count beats instead" }} <kbd>M</kbd>
      </button>
    </form>
  </Teleport>
  <template v-if="isTyped && row.signs">
    <button type="button" :class="{ main: text.trim() }" @click="onSide(-1)">{{ sentence(row.signs.minus) }}</button>
    <button v-if="row.signs.plus" type="button" :class="{ main: text.trim() }" @click="onSide(1)">{{ sentence(row.signs.plus) }}</button>
  </template>
  <button v-else-if="isTyped" type="button" class="big" :class="{ main: text.trim() }" @click="enter">
    {{ save }} <kbd v-if="text.trim() || !sheet.canFinish.value">Enter</kbd>
  </button>
  <template v-else-if="row.kind === 'choice'">
    <button v-for="({ key, words }, k) in row.choices" :key="key" type="button" @click="sheet.take(key)">
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
        @click="point(key)"
      >
        {{ words }}<small>{{ key in points ? (points[key] ? "met" : "not met") : "not judged" }}</small> <kbd>{{ k + 1 }}</kbd>
      </button>
    </Teleport>
    <button type="button" class="big main" @click="judge">Save points <kbd>Enter</kbd></button>
  </template>
</template>

<style scoped>
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
.point.met kbd {
  border-color: var(--soft);
}
.point.failed {
  border-color: var(--ochre);
}
</style>
