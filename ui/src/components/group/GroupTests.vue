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
type Test = GroupVisitPage["tests"][number];
interface Way {
  words: string;
  together?: boolean;
  apart_s?: number;
}
/** The most lanes on one clock. */
const LANES = 8;
/** How so many can do a test at once, the usual way first. */
function waysOf(t: Test, { who, people }: { who: string; people: string[] }): Way[] {
  if (t.together) return [{ words: `Start ${who} together` }];
  const ways: Way[] = [];
  const lanes = t.board === "lanes";
  if (t.board && (!lanes || people.length <= LANES)) ways.push({ words: `Start ${who} on one clock`, together: true });
  if (lanes && people.length <= LANES) ways.push({ words: `Start ${who} in lanes, 5 s apart`, together: true, apart_s: 5 });
  if (t.grid) ways.push({ words: `Record tries of ${who}` });
  return ways;
}
const begin = (t: Test, people: string[], { together, apart_s }: Way) =>
  run(() =>
    open({
      id: runId.value,
      people,
      protocol: t.protocol,
      conditions: {},
      group: { visit: props.visit.id, place: t.place },
      together,
      apart_s,
    }),
  );
/** Those of each heat, which are the usual where there are some, and all who have it to do. */
function groupsOf(t: Test) {
  const heats = heatsOf(t.to_come).map((h) => ({ key: `heat ${h.heat}`, who: `heat ${h.heat} (${h.people.length})`, people: h.people }));
  const all = t.to_come.length > 1 ? [{ key: "all", who: `${t.to_come.length}`, people: t.to_come, usual: !heats.length }] : [];
  return [...heats.map((h) => ({ ...h, usual: true })), ...all];
}
const namesOf = (people: string[]) => people.map((p) => props.visit.roll.find((l) => l.person === p)?.name ?? "").join(", ");
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
          <span v-for="g in groupsOf(t)" :key="g.key" class="ways">
            <template v-for="(way, k) in waysOf(t, g)" :key="way.words">
              <ElButton v-if="k === 0 && g.usual" :disabled="busy" @click="begin(t, g.people, way)">{{ way.words }}</ElButton>
              <button v-else type="button" class="linklike" :disabled="busy" @click="begin(t, g.people, way)">{{ way.words }}</button>
            </template>
            <span v-if="t.board === 'lanes' && g.people.length > LANES" class="soft small"
              >Up to {{ LANES }} lanes at once: make heats.</span
            >
          </span>
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
.ways {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 16px;
  padding-top: 6px;
}
.ways .linklike {
  margin-left: 0;
  white-space: normal;
  text-align: left;
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
