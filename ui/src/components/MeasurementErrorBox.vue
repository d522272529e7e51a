<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { MethodPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import TextField from "@/components/fields/TextField.vue";
import { useAction } from "@/composables/useAction";
import { expected, typed } from "@/logic/typed";

/** How much each measure measurement_errors here: own repeats, or a figure the practice knows from elsewhere. */
const props = defineProps<{ protocol: string; measurement_errors: MethodPage["measurement_errors"] }>();
const emit = defineEmits<{ changed: [] }>();
const chosen = ref(props.measurement_errors[0]?.quantity ?? "");
const of = computed(() => props.measurement_errors.find((w) => w.quantity === chosen.value));
const form = reactive({ value: "", source: "" });
watch(of, (w) => Object.assign(form, { value: w?.typed ? String(w.typed.value) : "", source: w?.typed?.source ?? "" }), {
  immediate: true,
});
const { busy, failure, run } = useAction();
const local = ref<string | null>(null);
async function keep(away = false) {
  const value = away ? null : typed(form.value, "");
  local.value = !away && value === null ? expected("") : null;
  if (local.value) return;
  const body = { quantity: chosen.value, value, source: form.source };
  const kept = await run(async () => {
    await take(api.PUT("/api/protocols/{id}/typical-error", { params: { path: { id: props.protocol } }, body }));
    return true;
  });
  if (kept) emit("changed");
}
</script>

<template>
  <div v-if="measurement_errors.length">
    <h2>Measurement error here</h2>
    <p class="soft">
      The first of these that exists is used: ten pairs of your own repeats, a figure you typed in, a publication, an estimate from the
      reading error.
    </p>
    <form @submit.prevent="keep()">
      <TextField v-if="measurement_errors.length > 1" label="Measure"
        ><select v-model="chosen" name="quantity" class="native">
          <option v-for="w in measurement_errors" :key="w.quantity" :value="w.quantity">{{ w.label }}</option>
        </select></TextField
      >
      <p v-if="of">{{ of.pairs }} of 10 pairs of repeats so far.</p>
      <TextField
        :label="`Typical error${of?.unit ? ', ' + of.unit : ''}`"
        v-model="form.value"
        name="value"
        inputmode="decimal"
        class="native num"
        :wrong="local ?? (failure?.field === 'value' ? failure.message : null)"
      />
      <TextField label="Who says so" v-model="form.source" name="source" :wrong="failure?.field === 'source' ? failure.message : null" />
      <FailureNote :failure="failure && !['value', 'source'].includes(failure.field ?? '') ? failure : null" />
      <div class="actions">
        <ElButton native-type="submit" :loading="busy">Use this figure</ElButton>
        <ElButton v-if="of?.typed" @click="keep(true)">Take it away</ElButton>
      </div>
    </form>
  </div>
</template>

<style scoped>
h2 {
  margin-top: 22px;
}
</style>
