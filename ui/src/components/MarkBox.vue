<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { MethodPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import TextField from "@/components/fields/TextField.vue";
import { useAction } from "@/composables/useAction";
import { expected, typed } from "@/logic/typed";

/** The mark that is passed or not: the usual one, or the practice's own with who says so. */
const props = defineProps<{ page: MethodPage }>();
const emit = defineEmits<{ changed: [] }>();
const chosen = ref(props.page.measurement_errors[0]?.quantity ?? "");
const of = computed(() => props.page.measurement_errors.find((w) => w.quantity === chosen.value));
const mark = computed(() => props.page.protocol.pass?.find((p) => p.quantity === chosen.value));
const form = reactive({ mark: "", source: "" });
watch(mark, (m) => Object.assign(form, { mark: m ? String(m.mark) : "", source: "" }), { immediate: true });
const { busy, failure, run } = useAction();
const local = ref<string | null>(null);
async function keep(away = false) {
  const value = away ? null : typed(form.mark, of.value?.unit ?? "");
  local.value = !away && value === null ? expected(of.value?.unit ?? "") : null;
  if (local.value) return;
  const body = { quantity: chosen.value, mark: value, source: form.source };
  const kept = await run(async () => {
    await take(api.PUT("/api/protocols/{id}/pass-mark", { params: { path: { id: props.page.protocol.id } }, body }));
    return true;
  });
  if (kept) emit("changed");
}
</script>

<template>
  <div v-if="page.measurement_errors.length">
    <h2>Target</h2>
    <p class="soft">
      {{ mark ? `Reached from ${mark.mark} ${of?.unit ?? ""}: ${mark.source.citation}.` : "No target yet. You can set your own." }}
    </p>
    <form @submit.prevent="keep()">
      <TextField v-if="page.measurement_errors.length > 1" label="Measure of the target"
        ><select v-model="chosen" name="mark-of" class="native">
          <option v-for="w in page.measurement_errors" :key="w.quantity" :value="w.quantity">{{ w.label }}</option>
        </select></TextField
      >
      <TextField
        :label="`Reached from${of?.unit ? ', ' + of.unit : ''}`"
        v-model="form.mark"
        name="mark"
        inputmode="decimal"
        class="native num"
        :wrong="local ?? (failure?.field === 'mark' ? failure.message : null)"
      />
      <TextField
        label="Source of the target"
        v-model="form.source"
        name="mark-source"
        :wrong="failure?.field === 'source' ? failure.message : null"
      />
      <FailureNote :failure="failure && !['mark', 'source'].includes(failure.field ?? '') ? failure : null" />
      <div class="actions">
        <ElButton native-type="submit" :loading="busy">Save target</ElButton>
        <ElButton v-if="mark" @click="keep(true)">Restore the usual target</ElButton>
      </div>
    </form>
  </div>
</template>

<style scoped>
h2 {
  margin-top: 22px;
}
</style>
