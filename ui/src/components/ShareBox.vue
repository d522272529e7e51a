<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { VisitPage } from "@/api/types";
import CopyButton from "@/components/CopyButton.vue";
import FailureNote from "@/components/FailureNote.vue";
import { dayYear } from "@/logic/dates";
import TextField from "@/components/fields/TextField.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";

/** A link of the client's own to what the coach ticks: without an account, until a day, to be withdrawn at any time. */
const props = defineProps<{ visit: VisitPage }>();
const path = { id: props.visit.id };
const { data: links, reload } = useLoad(() => take(api.GET("/api/visits/{id}/links", { params: { path } })));
const done = computed(() => props.visit.rows.filter((r) => r.stand === "done"));
const left = ref<Set<number>>(new Set());
/** Days; nothing for until two weeks after the next date. */
const days = ref<number | null>(null);
const next = computed(
  () =>
    props.visit.retests
      .map((r) => r.due_on)
      .filter((on) => on > props.visit.on)
      .sort()[0] ?? null,
);
const remarks = ref(false);
const photos = ref(false);
const { busy, failure, run } = useAction();
const made = ref("");
function tick(place: number) {
  const next = new Set(left.value);
  if (!next.delete(place)) next.add(place);
  left.value = next;
}
async function make() {
  const places = done.value.map((r) => r.place).filter((p) => !left.value.has(p));
  const link = await run(() =>
    take(
      api.POST("/api/visits/{id}/links", {
        params: { path },
        body: { id: uuid(), days: days.value, places, photos: photos.value, remarks: remarks.value },
      }),
    ),
  );
  if (!link) return;
  made.value = new URL(link.path, window.location.origin).href;
  await reload();
}
async function withdraw(id: string) {
  await run(() => take(api.DELETE("/api/visit-links/{id}", { params: { path: { id } } })));
  made.value = "";
  await reload();
}
</script>

<template>
  <section class="box no-print">
    <p v-if="!done.length" class="soft">Nothing is done yet.</p>
    <form v-else @submit.prevent="make">
      <label v-for="row in done" :key="row.place" class="ticked"
        ><input type="checkbox" :checked="!left.has(row.place)" @change="tick(row.place)" /> {{ row.name }}</label
      >
      <label class="ticked"><input v-model="remarks" type="checkbox" /> Remarks, flags and how it was done</label>
      <label class="ticked"><input v-model="photos" type="checkbox" /> Photographs of the day and of the first</label>
      <TextField label="Opens for"
        ><select v-model="days" class="native">
          <option :value="null">{{ next ? `two weeks past the next visit, ${dayYear(next)}` : "three months" }}</option>
          <option :value="14">two weeks</option>
          <option v-if="next" :value="90">three months</option>
          <option :value="366">a year</option>
        </select></TextField
      >
      <FailureNote :failure="failure" />
      <ElButton native-type="submit" :loading="busy">Make a link</ElButton>
    </form>
    <p v-if="made" class="made" role="status">
      <a :href="made">{{ made }}</a>
      <CopyButton :text="made" />
      <span class="soft">This link is shown only once. It opens without an account and shows nothing else.</span>
    </p>
    <ul v-if="links?.some((l) => l.opens)" class="links">
      <template v-for="l in links" :key="l.id"
        ><li v-if="l.opens">
          <span
            >{{ l.tests }} tests{{ l.photos ? ", photographs" : "" }}{{ l.remarks ? ", remarks" : "" }}, until
            {{ dayYear(l.expires_at.slice(0, 10)) }}</span
          >
          <button type="button" class="linklike" @click="withdraw(l.id)">Withdraw</button>
        </li></template
      >
    </ul>
  </section>
</template>

<style scoped>
.field {
  margin: 6px 0 12px;
}
.made {
  overflow-wrap: anywhere;
  margin: 12px 0 0;
}
.made .el-button {
  display: flex;
  margin-top: 8px;
}
.made .soft {
  display: block;
  font-size: 15px;
  margin-top: 4px;
}
.links {
  list-style: none;
  padding: 0;
  margin: 14px 0 0;
}
.links li {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 10px;
  border-top: 1px solid var(--line);
  font-size: 15px;
}
</style>
