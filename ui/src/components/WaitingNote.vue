<script setup lang="ts">
import { computed, ref } from "vue";
import { useWaiting } from "@/stores/waiting";

/** Whether there is a network, how old this page is, and what waits on this device to be sent. */
const waiting = useWaiting();
const shown = ref(false);
const hour = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const asOf = computed(() => (waiting.keptAt ? hour.format(waiting.keptAt) : null));
const stuck = computed(() => waiting.runs.filter((one) => one.wrong));
const what = computed(() => {
  const tests = waiting.runs.length;
  const parts = [
    ...(tests ? [tests === 1 ? "1 test" : `${tests} tests`] : []),
    ...(waiting.changes.length
      ? [waiting.changes.length === 1 ? "1 change of a visit" : `${waiting.changes.length} changes of a visit`]
      : []),
  ];
  return parts.join(" and ");
});
</script>

<template>
  <aside v-if="waiting.away || waiting.count || waiting.told.length" class="waiting no-print" aria-label="What waits on this device">
    <p role="status">
      <b v-if="waiting.away">No network.</b>
      <span v-if="waiting.away && asOf">This page is as of {{ asOf }}.</span>
      <template v-if="what">
        <span
          >{{ what }} saved on this device<span class="wide">, {{ waiting.away ? "sent when the network is back" : "being sent" }}</span
          >.</span
        >
        <button v-if="waiting.runs.length" type="button" class="show" :aria-expanded="shown" @click="shown = !shown">
          {{ shown ? "Hide" : "Show" }}
        </button>
      </template>
    </p>
    <ul v-if="shown || stuck.length">
      <li v-for="one in shown ? waiting.runs : stuck" :key="one.run">
        <RouterLink :to="`/runs/${one.run}`">{{ one.who ?? "A test" }}</RouterLink>
        <span v-if="one.came?.length">{{ one.came.join(" · ") }}</span>
        <span v-else-if="!one.ended">open</span>
        <template v-if="one.wrong">
          <span class="wrong">Not in the record: {{ one.wrong }}</span>
          <button type="button" class="show" @click="waiting.giveUp(one.run)">Discard it</button>
        </template>
      </li>
    </ul>
    <p v-for="words in waiting.told" :key="words" role="alert">
      {{ words }}
      <button type="button" class="show" @click="waiting.told = waiting.told.filter((w) => w !== words)">OK</button>
    </p>
  </aside>
</template>

<style scoped>
.waiting {
  background: var(--ochre-wash);
  border-bottom: 1px solid var(--line);
  padding: 8px 24px;
}
.waiting .show {
  min-height: 0;
  padding: 2px 6px;
  border: 0;
  background: none;
  font: inherit;
  color: var(--fjord);
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
}
.waiting p {
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: baseline;
}
.waiting ul {
  list-style: none;
  margin: 6px 0 2px;
  padding: 0;
}
.waiting li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
}
@media (max-width: 900px) {
  .waiting {
    padding: 6px 14px;
  }
  .wide {
    display: none;
  }
}
</style>
