<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, reactive, ref } from "vue";
import { api, take } from "@/api/client";
import type { PersonPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { dayShort } from "@/logic/dates";
import TextField from "@/components/fields/TextField.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";

/** Dated events (illness, break, new job) that stand beside the numbers. */
const props = defineProps<{ person: string; events: PersonPage["events"] }>();
const emit = defineEmits<{ changed: [] }>();
const kinds = [
  ["illness", "Illness"],
  ["injury", "Injury"],
  ["break", "Break from training"],
  ["new_job", "New job"],
  ["holiday", "Holiday"],
  ["other", "Something else"],
] as const;
const open = ref(false);
/** The latest one; the others stand on the time line too. */
const all = ref(false);
const seen = computed(() => (all.value ? props.events : props.events.slice(-1)));
const empty = () => ({ id: uuid(), kind: "illness" as (typeof kinds)[number][0], from_on: "", until_on: "", words: "" });
const form = reactive(empty());
const { busy, failure, run } = useAction();
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
async function note() {
  const body = { ...form, until_on: form.until_on || null };
  const kept = await run(async () => {
    await take(api.POST("/api/people/{id}/events", { params: { path: { id: props.person } }, body }));
    return true;
  });
  if (!kept) return;
  Object.assign(form, empty());
  open.value = false;
  emit("changed");
}
async function remove(id: string) {
  await run(async () => {
    await take(api.DELETE("/api/life-events/{id}", { params: { path: { id } } }));
    emit("changed");
  });
}
</script>

<template>
  <div class="box">
    <h2>Events</h2>
    <p v-if="!events.length && !open" class="soft">
      An illness, a break, a new job: note it here, and the changes after it are shown with it.
    </p>
    <ul v-if="events.length">
      <li v-for="h in seen" :key="h.id">
        <span
          >{{ dayShort(h.event.from_on) }}<template v-if="h.event.until_on"> to {{ dayShort(h.event.until_on) }}</template></span
        >
        <span>{{ h.said }}</span>
        <button type="button" class="plain" :aria-label="`Take away: ${h.said}`" @click="remove(h.id)">×</button>
      </li>
    </ul>
    <p v-if="events.length > seen.length">
      <button type="button" class="link" @click="all = true">Show all {{ events.length }}</button>
    </p>
    <form v-if="open" @submit.prevent="note">
      <TextField label="What"
        ><select v-model="form.kind" name="kind" class="native">
          <option v-for="[key, words] in kinds" :key="key" :value="key">{{ words }}</option>
        </select></TextField
      >
      <DateField label="From" v-model="form.from_on" name="from_on" required :wrong="wrong('from_on')" />
      <DateField label="Until, if it is over" v-model="form.until_on" name="until_on" :wrong="wrong('until_on')" />
      <TextField label="In a few words" v-model="form.words" name="words" maxlength="200" :wrong="wrong('words')" />
      <FailureNote :failure="failure && !failure.field ? failure : null" />
      <div class="actions">
        <ElButton native-type="submit" type="primary" :loading="busy">Add event</ElButton>
        <ElButton @click="open = false">Cancel</ElButton>
      </div>
    </form>
    <ElButton v-else @click="open = true">Add an event</ElButton>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
  margin: 0 0 10px;
}
li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
li span:first-child {
  grid-column: 1 / -1;
  color: var(--soft);
  font-size: 15px;
}
.plain {
  border: 0;
  background: none;
  color: var(--soft);
  font-size: 20px;
  line-height: 1;
  min-width: 32px;
  min-height: 28px;
  cursor: pointer;
}
</style>
