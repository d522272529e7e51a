<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { GroupVisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import { useAction } from "@/composables/useAction";
import { answers, circumstance, given, type Given } from "@/logic/conditions";

/** What everybody in a group visit shares, and how it is put right: for every test that begins from then on. */
const props = defineProps<{ visit: GroupVisitPage }>();
const emit = defineEmits<{ changed: [GroupVisitPage] }>();
const { busy, failure, run } = useAction();
const own = ref<Given | null>(null);
const edit = () => (own.value = given(props.visit.conditions, props.visit.asked));
const isStored = computed(() => props.visit.tests.some((t) => t.done));
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
async function save() {
  const body = { conditions: answers(props.visit.asked, own.value!) };
  const params = { path: { id: props.visit.id } };
  const page = await run(() => take(api.PUT("/api/group-visits/{id}/conditions", { params, body })));
  if (!page) return;
  own.value = null;
  emit("changed", page);
}
</script>

<template>
  <FoldSection v-if="visit.asked.length" title="For everybody" :brief="`${visit.shared.length}`">
    <template v-if="!own">
      <ul class="bare-list">
        <li v-for="s in visit.shared" :key="s.label">{{ circumstance(s) }}</li>
        <li v-if="!visit.shared.length">Nothing was answered.</li>
      </ul>
      <button v-if="!visit.closed" type="button" class="linklike no-print" @click="edit">Correct</button>
    </template>
    <form v-else @submit.prevent="save">
      <p class="soft">
        For every test that begins from now on.<template v-if="isStored">
          A result that is stored keeps its answer: correct it on its own page.</template
        >
      </p>
      <ConditionField v-for="c in visit.asked" :key="c.key" v-model="own[c.key]" :condition="c" :wrong="wrong(c.key)" />
      <FailureNote v-if="!visit.asked.some((c) => c.key === failure?.field)" :failure="failure" />
      <div class="actions">
        <ElButton type="primary" native-type="submit" :loading="busy">Save</ElButton>
        <button type="button" class="linklike" @click="own = null">Cancel</button>
      </div>
    </form>
  </FoldSection>
</template>

<style scoped>
p {
  margin: 0 0 10px;
}
</style>
