<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed } from "vue";
import { useRouter } from "vue-router";
import type { VisitEvent, VisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { minutes } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useBegin } from "@/floor/useBegin";

/** A visit with a window: the battery as a board. Any test, any time, as often as one likes; the best so far stands on each. */
const props = defineProps<{ visit: VisitPage; now: number }>();
const emit = defineEmits<{ change: [event: VisitEvent] }>();
const router = useRouter();
const { busy, failure, run } = useAction();
const open = useBegin();
const window_ = computed(() => props.visit.window!);
const left = computed(() => (window_.value.until ? Date.parse(window_.value.until) - props.now : null));
const over = computed(() => left.value !== null && left.value <= 0);
const clock = computed(() => minutes(Math.max(0, left.value ?? window_.value.minutes * 60_000) + (left.value ? 999 : 0)));
type Row = VisitPage["rows"][number];
async function go(row: Row) {
  if (busy.value || left.value === null || (over.value && row.stand !== "running")) return;
  if (row.stand === "running" && row.run) return void router.push(`/runs/${row.run}`);
  const visit = { visit: props.visit.id, place: row.place };
  const body = { id: uuid(), people: [props.visit.person], protocol: row.protocol, conditions: {}, visit };
  if (await run(() => open(body))) return;
  // Something only this test asks: its own page asks for it.
  const query = { visit: visit.visit, place: String(visit.place) };
  if (failure.value?.field) await router.push({ path: `/people/${props.visit.person}/assess/${row.protocol}`, query });
}
onKeyStroke((event) => {
  if (event.target instanceof HTMLInputElement || event.metaKey || event.ctrlKey || event.altKey || event.repeat) return;
  const row = props.visit.rows[Number(event.key) - 1];
  if (row) void go(row);
  else if (event.key === " " && left.value === null) emit("change", { kind: "window_begun" });
  else return;
  event.preventDefault();
});
</script>

<template>
  <div class="board">
    <div class="time" :class="{ over }">
      <span class="num clock" role="timer">{{ clock }}</span>
      <span v-if="left === null">Any test, any time, as often as you like. The best try of each counts.</span>
      <span v-else-if="over">Time is up. What was done in time counts.</span>
      <span v-else>left. The best try of each counts.</span>
      <span class="grow"></span>
      <span v-if="visit.total" class="total"
        ><b class="num">{{ visit.total.points }}</b> of {{ visit.total.most }} points<template v-if="visit.total.level"
          >: {{ visit.total.level }}</template
        ></span
      >
    </div>
    <ul>
      <li v-for="(row, k) in visit.rows" :key="row.place">
        <button
          type="button"
          class="tile"
          :class="row.stand"
          :disabled="busy || left === null || (over && row.stand !== 'running')"
          @click="go(row)"
        >
          <span class="name"
            >{{ row.name }} <kbd>{{ k + 1 }}</kbd></span
          >
          <span v-if="row.figures.length" class="best num">{{ row.figures[0]!.value }}</span>
          <span v-else class="best none">–</span>
          <span class="small"
            ><template v-if="row.stand === 'running'">running: go back to it</template
            ><template v-else-if="row.tries">{{ row.tries === 1 ? "1 try" : `best of ${row.tries} tries` }}</template
            ><template v-else>not tried yet</template
            ><template v-if="row.points"> · {{ row.points.points }} of {{ row.points.of }} points</template></span
          >
        </button>
      </li>
    </ul>
    <FailureNote :failure="failure && !failure.field ? failure : null" />
  </div>
  <footer class="foot keys">
    <button v-if="left === null" type="button" class="big main" @click="emit('change', { kind: 'window_begun' })">
      Start the window, {{ window_.minutes }} min <kbd>Space</kbd>
    </button>
    <button v-else type="button" :class="{ main: over }" class="big" @click="emit('change', { kind: 'closed' })">
      {{ over ? "Close the visit" : "Close it before the time is up" }}
    </button>
  </footer>
</template>

<style scoped>
.board {
  flex: 1;
  padding: 18px 24px;
}
.time {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 8px 18px;
  margin-bottom: 18px;
}
.clock {
  font-size: 64px;
  line-height: 1;
  font-weight: 650;
}
.over .clock {
  color: var(--madder);
}
.grow {
  flex: 1;
}
.total b {
  font-size: 30px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 230px), 1fr));
  gap: 14px;
}
.floor .tile {
  width: 100%;
  min-height: 190px;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  justify-content: space-between;
  gap: 6px;
  padding: 14px 16px;
  text-align: left;
}
.floor .tile.running {
  border-color: var(--ember);
  border-width: 2px;
}
.name {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  width: 100%;
}
.name kbd {
  align-self: start;
}
.best {
  font-size: 38px;
  line-height: 1.1;
}
.none {
  color: var(--soft);
}
.small {
  font-weight: 400;
  font-size: 15px;
  color: var(--soft);
}
@media (max-width: 640px) {
  .floor .tile {
    min-height: 112px;
  }
}
</style>
