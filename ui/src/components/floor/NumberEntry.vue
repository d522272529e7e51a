<script setup lang="ts">
import { nextTick, ref, watch } from "vue";
import { isWriting } from "@/floor/isWriting";
import { question } from "@/logic/usual";
import { useRun } from "@/stores/run";

type Usual = { from: number; to: number };
/** The one field that is due. Digits, Enter, done. `stage` names what is asked, so that a new question starts empty. */
const props = defineProps<{ label: string; unit: string; due: boolean; stage: string; suggested?: number | null; usual?: Usual | null }>();
const emit = defineEmits<{ typed: [value: number] }>();
const run = useRun();
const text = ref("");
const wrong = ref<string | null>(null);
const field = ref<HTMLInputElement>();
/** An unusual value that was asked about. */
const meant = ref<string | null>(null);

watch(text, (now) => (text.value = now.replace(/[^\d.,]/g, "")));
watch(
  () => [props.due, props.stage, props.suggested] as const,
  async ([due, stage, suggested], before) => {
    if (!due) return;
    const offered = suggested != null ? String(suggested) : "";
    // What was typed stays; what was only offered follows the offer.
    if (before?.[1] !== stage || text.value === (before?.[2] != null ? String(before[2]) : "")) text.value = offered;
    if (before?.[1] !== stage) wrong.value = null;
    await nextTick();
    if (!isWriting()) field.value?.focus();
  },
  { immediate: true },
);
// What the server refused is said here, whatever it was about; a number comes back into the field.
watch(
  () => run.refused,
  (refused) => {
    if (!refused) return;
    wrong.value = refused.message;
    const { event } = refused;
    if (!text.value && event.kind === "heart_rate_read") text.value = String(event.bpm);
    if (!text.value && event.kind === "heart_rate_counted") text.value = String(event.count);
    if (!text.value && event.kind === "value_typed") text.value = String(event.value);
    field.value?.focus();
  },
);

function enter() {
  const typed = text.value.trim().replace(",", ".");
  if (typed === "") return;
  wrong.value = Number.isNaN(Number(typed)) ? "Type a number." : null;
  if (wrong.value) return;
  const odd = question(Number(typed), props.unit, props.usual, run.view?.units ?? "metric");
  if (odd && meant.value !== typed) {
    meant.value = typed;
    wrong.value = `${odd.ask} Correct it, or press Enter again to keep it.`;
    return;
  }
  text.value = "";
  emit("typed", Number(typed));
}
</script>

<template>
  <footer class="foot">
    <form class="entry" :class="{ due }" @submit.prevent="enter">
      <label for="number">{{ label }}</label>
      <input
        id="number"
        ref="field"
        v-model="text"
        class="num"
        inputmode="decimal"
        autocomplete="off"
        maxlength="7"
        :disabled="!due"
        :aria-invalid="wrong !== null"
        @input="wrong = null"
        aria-describedby="number-wrong"
      />
      <span>{{ unit }}</span>
      <button type="submit" :disabled="!due">Enter</button>
    </form>
    <p id="number-wrong" class="wrong" role="alert">{{ wrong ?? "" }}</p>
    <div class="choices"><slot /></div>
  </footer>
</template>

<style scoped>
.wrong {
  max-width: 52ch;
  margin: 0;
}
.wrong:empty {
  display: none;
}
</style>
