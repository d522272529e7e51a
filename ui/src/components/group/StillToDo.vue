<script setup lang="ts">
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { GroupVisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";

/** Who owes a group's tests still: each does it now, or all have a second date. */
const props = defineProps<{ visit: GroupVisitPage }>();
const emit = defineEmits<{ changed: [GroupVisitPage] }>();
const router = useRouter();
const { busy, failure, run } = useAction();
const owing = computed(() => props.visit.roll.filter((l) => l.owes));
const second = ref("");
const planned = ref(false);
async function plan() {
  const params = { path: { id: props.visit.id } };
  const page = await run(() => take(api.POST("/api/group-visits/{id}/second-date", { params, body: { on: second.value } })));
  planned.value = page !== undefined;
  if (page) emit("changed", page);
}
async function makeUp(person: string) {
  const of = { path: { id: props.visit.id, person } };
  const made = await run(() => take(api.POST("/api/group-visits/{id}/roll/{person}/visit", { params: of })));
  if (made) await router.push(`/visits/${made.visit}/floor`);
}
</script>

<template>
  <div v-if="owing.length" class="box care">
    <h2>To test another day</h2>
    <ul class="bare-list">
      <li v-for="l in owing" :key="l.person">
        {{ l.name }} <button type="button" class="linklike no-print" :disabled="busy" @click="makeUp(l.person)">does it now</button>
      </li>
    </ul>
    <form class="second no-print" @submit.prevent="plan">
      <DateField v-model="second" label="A second date for them" name="second" :wrong="failure?.field === 'on' ? failure.message : null" />
      <ElButton native-type="submit" :disabled="!second" :loading="busy">Plan it</ElButton>
    </form>
    <FailureNote v-if="failure?.field !== 'on'" :failure="failure" />
    <p v-if="planned" role="status">Planned. Each of them has it under Retests.</p>
  </div>
</template>

<style scoped>
.second {
  margin-top: 10px;
}
</style>
