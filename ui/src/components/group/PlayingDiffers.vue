<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { GroupVisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import { useAction } from "@/composables/useAction";
import { answers } from "@/logic/conditions";

/** What differs for a whole playing group: a distance, a ball, a style. Each member can still have their own. */
const props = defineProps<{ visit: GroupVisitPage }>();
const emit = defineEmits<{ changed: [] }>();
const playing = computed(() =>
  [...new Set(props.visit.roll.flatMap((l) => (l.member && l.playing_group ? [l.playing_group] : [])))].sort(),
);
const chosen = ref<string | null>(null);
const own = ref<Record<string, string | boolean>>({});
const said = ref("");
const { busy, failure, run } = useAction();
function choose(group: string) {
  [chosen.value, own.value, said.value] = [group, {}, ""];
}
async function keep() {
  const body = { playing_group: chosen.value!, conditions: answers(props.visit.differs, own.value) };
  const done = await run(() => take(api.PUT("/api/groups/{id}/set-up", { params: { path: { id: props.visit.group } }, body })));
  if (!done) return;
  said.value = `Saved for ${done.members} ${done.members === 1 ? "person" : "people"} in ${chosen.value}.`;
  chosen.value = null;
  emit("changed");
}
</script>

<template>
  <FoldSection v-if="playing.length && visit.differs.length" title="Differs by playing group" class="no-print">
    <div v-if="chosen === null" class="groups">
      <button v-for="g in playing" :key="g" type="button" class="linklike" @click="choose(g)">{{ g }}</button>
    </div>
    <form v-else @submit.prevent="keep">
      <p class="soft">Only for {{ chosen }}, in every group visit. What you leave empty stays as it is.</p>
      <ConditionField v-for="c in visit.differs" :key="c.key" v-model="own[c.key]" :condition="c" />
      <FailureNote :failure="failure" />
      <div class="actions">
        <ElButton type="primary" native-type="submit" :loading="busy" :disabled="!Object.values(own).some(Boolean)">Save</ElButton>
        <button type="button" class="linklike" @click="chosen = null">Cancel</button>
      </div>
    </form>
    <p v-if="said" role="status">{{ said }}</p>
  </FoldSection>
</template>

<style scoped>
.groups {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
p {
  margin: 0 0 6px;
}
</style>
