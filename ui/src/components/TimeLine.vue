<script setup lang="ts">
import { computed, ref } from "vue";
import type { PersonPage } from "@/api/types";
import { dayShort } from "@/logic/dates";

/** What happened with a client, the latest first: a visit is one row, and goals and events stand where they were. */
const props = defineProps<{ page: PersonPage }>();
interface Item {
  key: string;
  on: string;
  kind: "visit" | "test" | "event" | "goal";
  what: string;
  got: string;
  to?: string;
  early?: string | null;
}
const SHOWN = 6;
const all = ref(false);
const items = computed<Item[]>(() => {
  const p = props.page;
  const shown = new Set(p.visits.map((v) => v.id));
  const visits = p.visits.map<Item>((v) => ({
    key: v.id,
    on: v.on,
    kind: "visit",
    what: v.battery_name,
    got: v.closed ? `${v.tests} tests` : "under way",
    to: v.closed ? `/visits/${v.id}` : `/visits/${v.id}/floor`,
  }));
  const tests = p.tests
    .filter((t) => !t.visit || !shown.has(t.visit))
    .map<Item>((t) => ({
      key: t.id,
      on: t.on,
      kind: "test",
      what: t.name,
      got: t.values.join(" · "),
      to: `/results/${t.id}`,
      early: t.stopped,
    }));
  const events = p.events.map<Item>((h) => ({
    key: h.id,
    on: h.event.from_on,
    kind: "event",
    what: h.said,
    got: h.event.until_on ? `to ${dayShort(h.event.until_on)}` : "",
  }));
  const goals = p.goals.flatMap<Item>((g) => [
    { key: `${g.id}from`, on: g.from_on, kind: "goal", what: `Goal set: ${g.wanted}`, got: `by ${dayShort(g.by)}` },
    ...(g.reached_on ? [{ key: `${g.id}to`, on: g.reached_on, kind: "goal" as const, what: `Goal reached: ${g.wanted}`, got: "" }] : []),
  ]);
  return [...visits, ...tests, ...events, ...goals].sort((a, b) => b.on.localeCompare(a.on));
});
const seen = computed(() => (all.value ? items.value : items.value.slice(0, SHOWN)));
</script>

<template>
  <ol class="line">
    <li v-for="i in seen" :key="i.key" :class="i.kind">
      <component :is="i.to ? 'RouterLink' : 'div'" class="item" :to="i.to">
        <span class="on">{{ dayShort(i.on) }}</span>
        <span class="what"
          >{{ i.what }}<small v-if="i.early" class="early">▼ {{ i.early }}</small></span
        >
        <span class="got">{{ i.got }}</span>
      </component>
    </li>
  </ol>
  <button v-if="items.length > SHOWN" type="button" class="link" @click="all = !all">
    {{ all ? "Show the latest" : `Show all ${items.length}` }}
  </button>
</template>

<style scoped>
.line {
  list-style: none;
  margin: 0;
  padding: 0;
}
.item {
  position: relative;
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr) auto;
  gap: 14px;
  align-items: baseline;
  min-height: 38px;
  padding: 6px 8px 6px 24px;
  color: inherit;
  text-decoration: none;
  line-height: 1.3;
}
a.item:hover {
  background: var(--fjord-wash);
}
/* The line itself, with a mark for what stands on it. */
.item::before {
  content: "";
  position: absolute;
  left: 6px;
  top: 0;
  bottom: 0;
  border-left: 2px solid var(--line);
}
.item::after {
  content: "";
  position: absolute;
  left: 1px;
  top: 12px;
  width: 9px;
  height: 9px;
  border: 2px solid var(--fjord);
  border-radius: 50%;
  background: var(--paper);
}
.visit .item::after {
  background: var(--fjord);
}
.event .item::after {
  border-color: var(--ochre);
  border-radius: 0;
  transform: rotate(45deg);
}
.goal .item::after {
  border-color: var(--ink);
  border-radius: 0;
}
.visit .what {
  font-weight: 600;
}
.on,
.got {
  color: var(--soft);
}
.got {
  text-align: right;
  max-width: 34ch;
}
.early {
  display: block;
  color: var(--ochre);
}
@media (max-width: 640px) {
  .item {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
  .got {
    text-align: left;
  }
}
</style>
