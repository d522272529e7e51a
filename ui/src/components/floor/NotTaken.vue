<script setup lang="ts">
import type { RunEvent } from "@/api/types";
import { useRun } from "@/stores/run";

/** What the server refused and no field shows again: what it was, why, and a key to put it away. */
const run = useRun();
const words: Partial<Record<RunEvent["kind"], string>> = {
  noted: "The note",
  stopped: "The stop",
  stop_explained: "The reason for stopping",
  finished: "The finish",
  undone: "The undo",
  clock_started: "The start",
  load_set: "The load",
  tallied: "The count of one",
  crossed: "The finish line",
  marked: "The mark",
  position_lost: "The end of the hold",
  position_not_taken: "The zero",
  tap: "A tap",
  strap_heard: "A second of the strap",
};
function typed(event: RunEvent): string {
  const said = "text" in event ? event.text : "note" in event ? event.note : "reason" in event ? event.reason : null;
  return said ? `: “${said}”` : "";
}
</script>

<template>
  <ul v-if="run.aside.length" class="aside" role="alert">
    <li v-for="{ event, message } in run.aside" :key="event.id">
      <span
        ><b>{{ words[event.kind] ?? "An entry" }} was not taken{{ typed(event) }}</b> {{ message }}</span
      >
      <button type="button" class="quiet" @click="run.putAway(event)">Put away</button>
    </li>
  </ul>
</template>

<style scoped>
.aside {
  list-style: none;
  margin: 0;
  padding: 0 24px;
  border-bottom: 1px solid var(--line);
}
li {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 16px;
  padding: 8px 0 8px 14px;
  border-left: 5px solid var(--ochre);
}
li + li {
  border-top: 1px solid var(--line);
}
span {
  overflow-wrap: anywhere;
  max-width: 90ch;
}
b {
  display: block;
}
@media (max-width: 900px) {
  .aside {
    padding: 0 12px;
  }
}
</style>
