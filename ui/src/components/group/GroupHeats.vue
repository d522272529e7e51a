<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { GroupVisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import { useAction } from "@/composables/useAction";

/** Heats of a group: by number, or by what each did last or should do. */
const props = defineProps<{ visit: GroupVisitPage }>();
const emit = defineEmits<{ changed: [GroupVisitPage] }>();
const { busy, failure, run } = useAction();
const by = ref<"number" | "alike" | "mixed">("number");
const size = ref("8");
const test = ref(0);
const targets = ref(false);
async function heats(most: number) {
  const body = { by: by.value, size: most, place: test.value, targets: targets.value };
  const page = await run(() => take(api.POST("/api/group-visits/{id}/heats", { params: { path: { id: props.visit.id } }, body })));
  if (page) emit("changed", page);
}
const hasHeats = computed(() => props.visit.roll.some((l) => l.heat != null));
</script>

<template>
  <FoldSection title="Heats" :brief="hasHeats ? 'made' : ''">
    <form class="heats" @submit.prevent="heats(Number(size) || 0)">
      <label
        >By
        <select v-model="by" class="native">
          <option value="number">number</option>
          <option value="alike">result, alike together</option>
          <option value="mixed">result, mixed</option>
        </select></label
      >
      <label v-if="by !== 'number'"
        >of
        <select v-model.number="test" class="native">
          <option v-for="t in visit.tests" :key="t.place" :value="t.place">{{ t.name }}</option>
        </select></label
      >
      <label v-if="by !== 'number'"><input v-model="targets" type="checkbox" /> by target instead of last result</label>
      <label>at most <input v-model="size" class="native num size" inputmode="numeric" aria-label="People in a heat" /> in a heat</label>
      <span class="actions">
        <ElButton native-type="submit" :loading="busy">Make heats</ElButton>
        <button v-if="hasHeats" type="button" class="linklike" @click="heats(0)">No heats</button>
      </span>
      <FailureNote :failure="failure" />
    </form>
  </FoldSection>
</template>

<style scoped>
.heats {
  display: grid;
  gap: 10px;
}
.size {
  width: 64px;
}
</style>
