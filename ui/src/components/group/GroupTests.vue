<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { ref } from "vue";
import type { GroupVisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { useAction } from "@/composables/useAction";
import { useBegin } from "@/floor/useBegin";

/** The tests of a group visit: how many have each, and who begins it together. */
const props = defineProps<{ visit: GroupVisitPage }>();
const { busy, failure, run } = useAction();
/** Those of the heats who have a test still to do. */
function heatsOf(people: string[]) {
  const all = new Map<number, string[]>();
  for (const l of props.visit.roll)
    if (l.heat != null && people.includes(l.person)) all.set(l.heat, [...(all.get(l.heat) ?? []), l.person]);
  const several = [...all].filter(([, of]) => of.length > 1 && of.length < people.length);
  return several.sort(([a], [b]) => a - b).map(([heat, of]) => ({ heat, people: of }));
}
const open = useBegin();
const runId = ref(uuid());
/** All who have it still to do, on one clock. */
const together = (place: number, people: string[], protocol: string, more: { together?: boolean; apart_s?: number } = {}) =>
  run(() => open({ id: runId.value, people, protocol, conditions: {}, group: { visit: props.visit.id, place }, ...more }));
type Test = GroupVisitPage["tests"][number];
/** All who have it to do, or those of one heat: who does it together, in how many ways. */
const groupsOf = (t: Test) => [
  ...(t.to_come.length > 1 ? [{ key: "all", who: `${t.to_come.length}`, people: t.to_come }] : []),
  ...heatsOf(t.to_come).map((h) => ({ key: `heat ${h.heat}`, who: `heat ${h.heat} (${h.people.length})`, people: h.people })),
];
const namesOf = (people: string[]) => people.map((p) => props.visit.roll.find((l) => l.person === p)?.name ?? "").join(", ");
/** Lanes have room for so many. */
const LANES = 8;
</script>

<template>
  <div class="box">
    <h2>Tests</h2>
    <FailureNote :failure="failure" />
    <ul class="tests">
      <li v-for="t in visit.tests" :key="t.place">
        <b>{{ t.name }}</b>
        <span class="soft">{{ t.done }} of {{ visit.here }} done</span>
        <template v-if="!visit.closed">
          <span v-if="t.held.length" class="held">Held back: {{ namesOf(t.held) }}</span>
          <span v-if="t.unasked.length && t.unasked.length < 6" class="soft small">Not asked: {{ namesOf(t.unasked) }}</span>
          <RouterLink v-for="r in t.runs" :key="r" :to="`/runs/${r}`">On the floor: go on</RouterLink>
          <template v-for="g in groupsOf(t)" :key="g.key">
            <button v-if="t.together" type="button" class="linklike" :disabled="busy" @click="together(t.place, g.people, t.protocol)">
              Start {{ g.who }} together
            </button>
            <template v-else>
              <template v-if="t.board && (t.board !== 'lanes' || g.people.length <= LANES)">
                <button
                  type="button"
                  class="linklike"
                  :disabled="busy"
                  @click="together(t.place, g.people, t.protocol, { together: true })"
                >
                  Start {{ g.who }} on one clock
                </button>
                <button
                  v-if="t.board === 'lanes'"
                  type="button"
                  class="linklike"
                  :disabled="busy"
                  @click="together(t.place, g.people, t.protocol, { together: true, apart_s: 5 })"
                >
                  Start {{ g.who }} in lanes, 5 s apart
                </button>
              </template>
              <span v-else-if="t.board === 'lanes'" class="soft small">Up to {{ LANES }} lanes at once: make heats.</span>
              <button v-if="t.grid" type="button" class="linklike" :disabled="busy" @click="together(t.place, g.people, t.protocol)">
                Record tries of {{ g.who }}
              </button>
            </template>
          </template>
        </template>
      </li>
    </ul>
    <p v-if="!visit.closed && visit.here" class="soft small">One person at a time: open their tests in the list.</p>
    <p class="small no-print">
      <RouterLink :to="`/group-visits/${visit.id}/list`">{{
        visit.closed ? "Results as a list" : "Enter results from a spreadsheet or paper"
      }}</RouterLink>
    </p>
  </div>
</template>

<style scoped>
li {
  display: grid;
  gap: 1px;
  padding: 8px 0;
  border-top: 1px solid var(--line);
}
li:first-child {
  border-top: 0;
}
.held {
  color: var(--madder);
  font-weight: 600;
}
.tests .linklike {
  justify-self: start;
  margin-left: 0;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
.small {
  font-size: 15px;
  margin-bottom: 0;
}
@media (max-width: 1180px) {
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(100%, 220px), 1fr));
    gap: 0 26px;
  }
  li {
    align-content: start;
    border-top: 0;
  }
}
</style>
