<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";
import { useEntry } from "@/floor/useEntry";
import { taken } from "@/logic/sheet";
import { shownUnit } from "@/logic/units";
import SheetInput from "../SheetInput.vue";

/** Loads, lifted or missed, each heavier by what the one before showed. */
const sheet = theSheet();
const { row, live, full, wrong, units } = sheet;
const entry = useEntry(sheet);
const { text } = entry;
const advised = computed(() => sheet.sheet.value.advice?.kg ?? null);
/** One attempt more than was planned: only where none was missed, and with a reason. */
const beyond = computed(() => {
  const planned = taken(row.value, "load")?.attempts;
  return planned != null && row.value.cells.length >= planned;
});
const why = ref("");
const closed = computed(() => !live.value || full.value);

/** The load that is advised, as it stands in the field. */
let offered = "";
watch(advised, (kg) => (offered = kg === null ? (text.value = "") : entry.put(kg, "kg")), { immediate: true });
watch(
  () => [sheet.started.value, row.value.cells.length],
  async () => {
    await nextTick();
    entry.focus();
  },
  { immediate: true },
);
async function lifted(made: boolean) {
  if (beyond.value && !why.value.trim()) return void (wrong.value = "Give a reason for one more attempt, then press again.");
  const load = entry.number();
  if (load !== null) await sheet.lift(load, made, beyond.value ? why.value.trim() : null);
}
const press: Keys["press"] = (key) => {
  if (!live.value || (key !== "m" && key !== "x")) return false;
  void lifted(key === "m");
  return true;
};
// After the planned attempts a load that is only offered does not keep Enter from saving the result.
defineExpose<Keys>({ press, isTyping: () => text.value.trim() !== "" && !(beyond.value && text.value === offered) });
</script>

<template>
  <Teleport v-if="!sheet.countingIn.value" defer to="#sheet-field">
    <form class="entry" @submit.prevent="wrong = 'Made or missed? Press M or X.'">
      <label class="visually-hidden" for="sheet-entry">Load, {{ shownUnit("kg", units) }}</label>
      <SheetInput ref="field" v-model="text" />
      <span class="unit">{{ shownUnit("kg", units) }}</span>
    </form>
  </Teleport>
  <label v-if="beyond && advised !== null" class="reason"
    >Reason for one more attempt <input v-model="why" class="native" maxlength="1000"
  /></label>
  <button type="button" class="big main" :disabled="closed" @click="lifted(true)">Made <kbd>M</kbd></button>
  <button type="button" class="big" :disabled="closed" @click="lifted(false)">Missed <kbd>X</kbd></button>
</template>
