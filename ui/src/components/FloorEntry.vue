<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { ofFloor } from "@/logic/floor";
import type { RunView } from "@/api/types";
import { useRun } from "@/stores/run";

/** The one field that is due, and what can be done with the reading that stands. Digits, Enter, done. */
const props = defineProps<{ view: RunView; due: boolean; closed: boolean; canKeep: boolean; canRecount: boolean; finishing: boolean }>();
const emit = defineEmits<{ typed: [count: number]; keep: []; keepFirst: []; recount: []; undo: [] }>();
const run = useRun();

const text = ref("");
const wrong = ref<string | null>(null);
const field = ref<HTMLInputElement>();
const reading = computed(() => ofFloor(props.view.state, "counted")?.readings.at(-1) ?? null);
const asksRecount = computed(() => props.view.state.decision?.code === "recount_asked");

watch(text, (now) => (text.value = now.replace(/[^\d.,]/g, "")));
watch(
  () => props.due,
  async (now) => {
    if (!now) return;
    await nextTick();
    field.value?.focus();
  },
  { immediate: true },
);
// What the server refused comes back into the field with its words.
watch(
  () => run.refused,
  (refused) => {
    if (!refused) return;
    wrong.value = refused.message;
    if (refused.event.kind === "count_typed" && !text.value) text.value = String(refused.event.count);
    field.value?.focus();
  },
);

function enter() {
  const typed = text.value.trim().replace(",", ".");
  if (typed === "") {
    if (props.canKeep) emit("keep");
    return;
  }
  wrong.value = Number.isNaN(Number(typed)) ? "Type the number of beats, such as 28 or 27.5." : null;
  if (wrong.value) return;
  text.value = "";
  emit("typed", Number(typed));
}
function keepFirst() {
  emit("keepFirst");
  field.value?.focus();
}
defineExpose({ isEmpty: () => text.value === "" });
</script>

<template>
  <footer class="foot">
    <form class="entry" :class="{ due }" @submit.prevent="enter">
      <label for="count">{{ view.count ? `Beats in ${view.count.window_s} s` : "Count" }}</label>
      <input
        id="count"
        ref="field"
        v-model="text"
        class="num"
        inputmode="decimal"
        autocomplete="off"
        maxlength="6"
        :disabled="!due || closed"
        :aria-invalid="wrong !== null"
        aria-describedby="entry-wrong"
        @input="wrong = null"
      />
      <button type="submit" :disabled="!due">Enter</button>
    </form>
    <p id="entry-wrong" class="wrong" role="alert">{{ wrong ?? "" }}</p>
    <div class="choices">
      <template v-if="due && asksRecount">
        <button v-if="canRecount" type="button" class="main" @click="emit('recount')">Count again <kbd>R</kbd></button>
        <button type="button" @click="keepFirst">Keep {{ reading?.bpm == null ? "it" : `${Math.round(reading.bpm)} bpm` }}</button>
      </template>
      <button v-if="canKeep" type="button" class="main" :disabled="finishing" @click="emit('keep')">Save result <kbd>Enter</kbd></button>
      <button v-if="run.undoable && !closed" type="button" class="quiet" @click="emit('undo')">Undo {{ run.undoable }} <kbd>U</kbd></button>
    </div>
  </footer>
</template>

<style scoped>
.wrong {
  max-width: 46ch;
  margin: 0;
}
.wrong:empty {
  display: none;
}
</style>
