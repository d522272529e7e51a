<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { SentLine, VisitPage } from "@/api/types";
import CopyButton from "@/components/CopyButton.vue";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import SentCard from "@/components/SentCard.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { dayYear } from "@/logic/dates";

/** A link by which the client of a visit sends what they test themselves, and what was sent. */
const props = defineProps<{ visit: VisitPage }>();
const emit = defineEmits<{ changed: [] }>();
const path = { id: props.visit.id };
const { data: of, reload } = useLoad(() => take(api.GET("/api/visits/{id}/self-links", { params: { path } })));
const { busy, failure, run } = useAction();
const made = ref("");
const days = ref(14);
const toCome = computed(() => props.visit.rows.some((r) => r.stand === "to_come"));
/** What became a result stands in its row. */
const sent = computed(() => of.value?.sent.filter((s) => s.fate !== "taken") ?? []);
const opens = computed(() => of.value?.links.filter((l) => l.opens) ?? []);
async function make() {
  const link = await run(() => take(api.POST("/api/visits/{id}/self-links", { params: { path }, body: { id: uuid(), days: days.value } })));
  if (!link) return;
  made.value = new URL(link.path, window.location.origin).href;
  await reload();
}
async function withdraw(id: string) {
  await run(() => take(api.DELETE("/api/self-links/{id}", { params: { path: { id } } })));
  made.value = "";
  await reload();
}
async function decided(line: SentLine) {
  await reload();
  if (line.fate === "taken") emit("changed");
}
</script>

<template>
  <FoldSection
    v-if="of && (sent.length || opens.length || (!visit.closed && toCome))"
    title="From afar"
    :brief="sent.some((s) => s.fate === 'waiting') ? 'something waits' : ''"
    class="no-print"
  >
    <SentCard v-for="s in sent" :key="s.id" :line="s" @decided="decided" />
    <form v-if="!visit.closed && toCome" class="box" @submit.prevent="make">
      <p class="soft">
        {{ visit.name }} can do the tests that are left without you, and type the results on a page of their own. They wait here for you.
      </p>
      <label
        >Opens for
        <select v-model.number="days" class="native">
          <option :value="7">a week</option>
          <option :value="14">two weeks</option>
          <option :value="42">six weeks</option>
        </select></label
      >
      <FailureNote :failure="failure" />
      <RouterLink v-if="failure?.field === 'readiness'" :to="`/people/${visit.person}/readiness`">Ask about readiness</RouterLink>
      <span><ElButton native-type="submit" :loading="busy">Make a link to test from afar</ElButton></span>
    </form>
    <p v-if="made" class="made" role="status">
      <a :href="made">{{ made }}</a>
      <span><CopyButton :text="made" /></span>
      <span class="soft">This link is shown only once.</span>
    </p>
    <p v-for="l in opens" :key="l.id" class="link">
      A link opens until {{ dayYear(l.expires_at.slice(0, 10)) }}
      <button type="button" class="linklike" @click="withdraw(l.id)">Withdraw</button>
    </p>
  </FoldSection>
</template>

<style scoped>
article {
  margin-bottom: 10px;
}
form {
  display: grid;
  gap: 8px;
}
p {
  margin: 0;
}
.made {
  display: grid;
  gap: 6px;
  overflow-wrap: anywhere;
}
.link {
  display: flex;
  justify-content: space-between;
  align-items: center;
  font-size: 15px;
}
</style>
