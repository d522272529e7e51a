<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import type { MethodPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import TextField from "@/components/fields/TextField.vue";
import { useAction } from "@/composables/useAction";
import { expected, typed } from "@/logic/typed";

/** A figure of the practice's own for the chosen measure of a test, with its source. */
const props = defineProps<{
  measures: MethodPage["measurement_errors"];
  /** What the form begins with. */
  now: { value: string; source: string };
  /** Whether there is a figure to remove. */
  removable: boolean;
  /** The unit the number is typed in. */
  typedIn: string;
  /** What the server calls the number. */
  field: string;
  labels: { measure: string; value: string; source: string; save: string; remove: string };
  /** Saves the figure; `null` removes it. */
  save: (value: number | null, source: string) => Promise<unknown>;
}>();
const emit = defineEmits<{ changed: [] }>();
const chosen = defineModel<string>({ required: true });
const unit = computed(() => props.measures.find((m) => m.quantity === chosen.value)?.unit);
const form = reactive({ value: "", source: "" });
watch(
  () => props.now,
  (now) => Object.assign(form, now),
  { immediate: true },
);
const { busy, failure, run } = useAction();
const local = ref<string | null>(null);
async function keep(remove = false) {
  const value = remove ? null : typed(form.value, props.typedIn);
  local.value = !remove && value === null ? expected(props.typedIn) : null;
  if (local.value) return;
  const kept = await run(async () => {
    await props.save(value, form.source);
    return true;
  });
  if (kept) emit("changed");
}
const wrong = (of: string) => (failure.value?.field === of ? failure.value.message : null);
/** What is wrong with neither field. */
const other = computed(() => ([props.field, "source"].includes(failure.value?.field ?? "") ? null : failure.value));
</script>

<template>
  <form @submit.prevent="keep()">
    <TextField v-if="measures.length > 1" :label="labels.measure"
      ><select v-model="chosen" :name="`${field}-of`" class="native">
        <option v-for="m in measures" :key="m.quantity" :value="m.quantity">{{ m.label }}</option>
      </select></TextField
    >
    <slot />
    <TextField
      :label="unit ? `${labels.value}, ${unit}` : labels.value"
      v-model="form.value"
      :name="field"
      inputmode="decimal"
      class="native num"
      :wrong="local ?? wrong(field)"
    />
    <TextField :label="labels.source" v-model="form.source" :name="`${field}-source`" :wrong="wrong('source')" />
    <FailureNote :failure="other" />
    <div class="actions">
      <ElButton native-type="submit" :loading="busy">{{ labels.save }}</ElButton>
      <ElButton v-if="removable" @click="keep(true)">{{ labels.remove }}</ElButton>
    </div>
  </form>
</template>
