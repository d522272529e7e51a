<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { MethodPage } from "@/api/types";
import OwnFigure from "@/components/OwnFigure.vue";

/** The target of a test: the usual one, or the practice's own with its source. */
const props = defineProps<{ page: MethodPage }>();
defineEmits<{ changed: [] }>();
const chosen = ref(props.page.measurement_errors[0]?.quantity ?? "");
const unit = computed(() => props.page.measurement_errors.find((m) => m.quantity === chosen.value)?.unit ?? "");
const mark = computed(() => props.page.protocol.pass?.find((p) => p.quantity === chosen.value));
const now = computed(() => ({ value: mark.value ? String(mark.value.mark) : "", source: "" }));
const labels = {
  measure: "Measure of the target",
  value: "Target",
  source: "Source of the target",
  save: "Save target",
  remove: "Restore the usual target",
};
const save = (value: number | null, source: string) =>
  take(
    api.PUT("/api/protocols/{id}/pass-mark", {
      params: { path: { id: props.page.protocol.id } },
      body: { quantity: chosen.value, mark: value, source },
    }),
  );
</script>

<template>
  <div v-if="page.measurement_errors.length">
    <h2>Target</h2>
    <p class="soft">
      {{ mark ? `The target is ${mark.mark} ${unit}. Source: ${mark.source.citation}.` : "No target yet. You can set your own." }}
    </p>
    <OwnFigure
      v-model="chosen"
      :measures="page.measurement_errors"
      :now="now"
      :removable="Boolean(mark)"
      :typed-in="unit"
      field="mark"
      :labels="labels"
      :save="save"
      @changed="$emit('changed')"
    />
  </div>
</template>

<style scoped>
h2 {
  margin-top: 22px;
}
</style>
