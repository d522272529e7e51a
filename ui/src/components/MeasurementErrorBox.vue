<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { MethodPage } from "@/api/types";
import OwnFigure from "@/components/OwnFigure.vue";

/** The measurement error of each measure in this practice: from its own repeats, or a figure it knows from elsewhere. */
const props = defineProps<{ protocol: string; errors: MethodPage["measurement_errors"] }>();
defineEmits<{ changed: [] }>();
const chosen = ref(props.errors[0]?.quantity ?? "");
const of = computed(() => props.errors.find((e) => e.quantity === chosen.value));
const now = computed(() => ({ value: of.value?.typed ? String(of.value.typed.value) : "", source: of.value?.typed?.source ?? "" }));
const labels = {
  measure: "Measure",
  value: "Measurement error",
  source: "Source of the figure",
  save: "Use this figure",
  remove: "Remove this figure",
};
const save = (value: number | null, source: string) =>
  take(
    api.PUT("/api/protocols/{id}/typical-error", {
      params: { path: { id: props.protocol } },
      body: { quantity: chosen.value, value, source },
    }),
  );
</script>

<template>
  <div v-if="errors.length">
    <h2>Measurement error here</h2>
    <p class="soft">
      The first of these that exists is used: ten pairs of your own repeats, a figure you typed in, a publication, an estimate from the
      reading error.
    </p>
    <OwnFigure
      v-model="chosen"
      :measures="errors"
      :now="now"
      :removable="Boolean(of?.typed)"
      typed-in=""
      field="value"
      :labels="labels"
      :save="save"
      @changed="$emit('changed')"
    >
      <p v-if="of">{{ of.pairs }} of 10 pairs of repeats so far.</p>
    </OwnFigure>
  </div>
</template>

<style scoped>
h2 {
  margin-top: 22px;
}
</style>
