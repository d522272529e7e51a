<script setup lang="ts">
import { onKeyStroke, useIntervalFn } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { VisitEvent } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import PictureBox from "@/components/PictureBox.vue";
import WaitingNote from "@/components/WaitingNote.vue";
import VisitBoard from "@/components/floor/VisitBoard.vue";
import { minutes } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { useVisitChange } from "@/composables/useVisitChange";
import { useNews } from "@/composables/useNews";
import { useBegin } from "@/floor/useBegin";
import { prepareVisit } from "@/offline/prepare";
import { visitHere } from "@/offline/visit";
import { mark } from "@/logic/visit";
import { useWaiting } from "@/stores/waiting";

/** A visit on the floor: what is next, why now, what to say, go. Nobody goes back to a menu between two tests. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const waiting = useWaiting();
const path = { id: props.id };
const {
  data: v,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => visitHere(await take(api.GET("/api/visits/{id}", { params: { path } }))));
const next = computed(() => v.value?.next ?? null);
/** Another device may have gone on. */
useNews(
  () => v.value?.person,
  () => void (busy.value || reload()),
);
watch(v, (page) => page && void prepareVisit(page));
watch(v, (page) => page && (page.closed || (!page.next && !page.window)) && void router.replace(`/visits/${props.id}`));

const now = ref(Date.now());
useIntervalFn(() => (now.value = Date.now()), 250);
const rest = computed(() => (next.value?.rest_until ? Math.max(0, Date.parse(next.value.rest_until) - now.value) : 0));

const { busy, failure, run } = useAction();
const open = useBegin();
const decide = useVisitChange(v, reload);
/** The key of the run that is set up next: a double press sets up one. */
const runId = ref(uuid());
const setup = computed(() => ({ path: `/people/${v.value!.person}/assess/${next.value!.protocol}`, query: inVisit.value }));
const inVisit = computed(() => ({ visit: props.id, place: String(next.value!.place) }));
const entry = computed(() => ({ path: `/people/${v.value!.person}/enter/${next.value!.protocol}`, query: inVisit.value }));

async function go() {
  const test = next.value;
  if (!test || !v.value) return;
  if (test.run) return void router.push(`/runs/${test.run}`);
  if (!test.live) return void router.push(entry.value);
  const body = {
    id: runId.value,
    people: [v.value.person],
    protocol: test.protocol,
    conditions: {},
    visit: { visit: props.id, place: test.place },
  };
  if (await run(() => open(body))) return;
  // Something only this test asks, or a reason to be given: its own page asks for it.
  if (failure.value?.field) await router.push(setup.value);
}

const leaving = ref<number | null>(null);
const reason = ref("");
const field = useTemplateRef<HTMLInputElement>("why");
async function leave(place: number) {
  leaving.value = place;
  reason.value = "";
  await nextTick();
  field.value?.focus();
}
const cost = ref("");
async function change(event: VisitEvent) {
  const costs = await run(() => decide(event));
  if (costs === undefined) return;
  cost.value = costs;
  leaving.value = null;
  runId.value = uuid();
}
onKeyStroke((event) => {
  if (event.target instanceof HTMLInputElement || event.metaKey || event.ctrlKey || event.altKey || event.repeat) return;
  if (v.value?.window) return;
  const key = event.key.toLowerCase();
  if (key === " ") void go();
  else if (key === "e" && next.value && !waiting.away) void router.push(entry.value);
  else if (key === "l" && next.value) void leave(next.value.place);
  else return;
  event.preventDefault();
});
</script>

<template>
  <PageState v-if="!v" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="floor visit">
    <header class="top">
      <b>{{ v.name }}</b>
      <span class="soft">{{ v.battery_name }} · {{ v.done }} of {{ v.rows.length }} done</span>
      <span class="grow"></span>
      <RouterLink v-if="v.group" :to="`/group-visits/${v.group.id}`">To {{ v.group.name }}</RouterLink>
      <RouterLink :to="`/visits/${id}`">Exit</RouterLink>
    </header>
    <WaitingNote />
    <main v-if="v.window" id="main" class="window">
      <VisitBoard :visit="v" :now="now" @change="change" />
      <FailureNote :failure="failure" />
    </main>
    <main v-else id="main">
      <ol class="rail">
        <li v-for="(row, k) in v.rows" :key="row.place" :class="[row.stand, { next: row.place === next?.place }]">
          <span class="mark" aria-hidden="true">{{ mark(row, k, row.place === next?.place) }}</span>
          <span class="what"
            ><b>{{ row.name }}</b>
            <small v-if="row.brief">{{ row.brief }}</small>
            <small v-else-if="row.stand === 'skipped'"
              >skipped<template v-if="row.reason">: {{ row.reason }}</template></small
            >
            <small v-else-if="row.waits">{{ row.waits }}</small></span
          >
          <span class="do">
            <span v-if="row.place === next?.place" class="now">now</span>
            <button v-else-if="row.stand === 'skipped'" type="button" class="quiet" @click="change({ kind: 'taken_up', place: row.place })">
              Do it after all
            </button>
            <button
              v-else-if="row.stand === 'done'"
              type="button"
              class="quiet"
              :aria-label="`Again: ${row.name}`"
              @click="change({ kind: 'again', place: row.place })"
            >
              Again
            </button>
            <button
              v-else-if="row.stand === 'to_come' && !row.waits"
              type="button"
              class="quiet"
              :aria-label="`${row.name} next`"
              @click="change({ kind: 'moved', place: row.place })"
            >
              Next
            </button>
          </span>
        </li>
        <li class="then"><span class="mark" aria-hidden="true">·</span><span class="what">then: what did we learn?</span></li>
      </ol>
      <section v-if="next" class="left">
        <div class="says">
          <h1>{{ next.name }}</h1>
          <p class="cue">{{ next.summary }}</p>
        </div>
        <p v-if="rest > 0" class="rest num" role="timer">{{ minutes(rest + 999) }}<small> of rest left</small></p>
        <div class="look">
          <PictureBox v-if="next.drawing" :drawing="next.drawing" class="picture" />
          <ul class="say">
            <li v-for="words in next.say" :key="words">{{ words }}</li>
          </ul>
        </div>
        <p v-if="cost" class="cost" role="status">{{ cost }}</p>
        <FailureNote :failure="failure && !failure.field ? failure : null" />
      </section>
      <aside v-if="next" class="side">
        <div>
          <h2>Why now</h2>
          <p>{{ next.why }}</p>
        </div>
        <div v-if="next.last_time">
          <h2>Last time</h2>
          <p>{{ next.last_time }}</p>
        </div>
        <p v-if="v.photos"><RouterLink :to="`/people/${v.person}/photos`">Photographs</RouterLink>, before any exercise.</p>
        <div v-if="next.equipment.length">
          <h2>Ready?</h2>
          <ul>
            <li v-for="e in next.equipment" :key="e">{{ e }}</li>
          </ul>
        </div>
        <RouterLink :to="setup">Change the set-up</RouterLink>
      </aside>
    </main>
    <footer v-if="!v.window" class="foot keys">
      <form v-if="leaving !== null" class="entry why" @submit.prevent="change({ kind: 'skipped', place: leaving, reason: reason || null })">
        <label for="why">Why is it skipped?</label><input id="why" ref="why" v-model="reason" autocomplete="off" />
        <button type="submit" class="main">Skip test</button>
        <button type="button" class="quiet" @click="leaving = null">Back</button>
        <span v-if="failure?.field === 'reason'" class="wrong" role="alert">{{ failure.message }}</span>
      </form>
      <template v-else-if="next">
        <button type="button" class="quiet" @click="leave(next.place)">Skip test <kbd>L</kbd></button>
        <button v-if="next.live && !waiting.away" type="button" class="quiet" @click="router.push(entry)">
          Enter results from paper <kbd>E</kbd>
        </button>
        <button v-else-if="!next.live && v?.on !== v?.today" type="button" class="quiet" @click="router.push(`/visits/${id}/paper`)">
          All tests on one page
        </button>
        <button type="button" class="big main" :disabled="busy" @click="go">
          {{ next.run ? "Back to test" : next.live ? "Start test" : "Enter results" }} <kbd>Space</kbd>
        </button>
      </template>
    </footer>
  </div>
</template>

<style scoped>
.visit {
  min-height: 100vh;
  display: flex;
  flex-direction: column;
  background: var(--paper);
  color: var(--ink);
}
.visit > main {
  flex: 1;
}
.top {
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 12px 24px;
  border-bottom: 1px solid var(--line);
  min-height: 64px;
}
.grow {
  flex: 1;
}
.visit main.window {
  display: flex;
  flex-direction: column;
}
.top b {
  font-size: 20px;
}
.visit main {
  grid-template-columns: 320px minmax(0, 1fr) 300px;
}
.rail {
  list-style: none;
  margin: 0;
  padding: 14px 0;
  border-right: 1px solid var(--line);
}
.rail li {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) auto;
  gap: 6px;
  padding: 9px 14px 9px 16px;
  border-left: 4px solid transparent;
  align-items: start;
  min-height: 48px;
}
.rail li.next {
  background: var(--fjord-wash);
  border-left-color: var(--ember);
}
.rail b {
  font-size: 17px;
  line-height: 1.3;
}
.rail small {
  display: block;
  color: var(--soft);
  font-size: 15px;
  line-height: 1.35;
}
.rail .done .mark {
  color: var(--moss);
}
.rail .skipped b,
.rail .then {
  color: var(--soft);
  font-weight: 400;
}
.rail .now {
  color: var(--ember);
  font-weight: 600;
}
.rail button {
  min-height: 36px;
  padding: 2px 12px;
  font-size: 15px;
}
.look {
  display: grid;
  grid-template-columns: minmax(0, 300px) minmax(0, 1fr);
  gap: 28px;
  align-items: start;
}
.say {
  margin: 0;
  padding-left: 20px;
  font-size: 19px;
  line-height: 1.45;
}
.say li {
  margin-bottom: 8px;
}
.rest {
  font-size: 72px;
  font-weight: 600;
  margin: 0;
  line-height: 1;
}
.rest small {
  font: 400 22px var(--text);
  color: var(--soft);
}
.cost {
  color: var(--ochre);
  margin: 0;
}
.side h2 {
  margin: 0 0 2px;
}
.side p,
.side ul {
  margin: 0;
}
.side ul {
  padding-left: 18px;
}
.why {
  flex: 1;
}
.why input {
  flex: 1;
  font-size: 20px;
  font-weight: 400;
}
@media (max-width: 900px) {
  .visit main {
    grid-template-columns: minmax(0, 1fr);
  }
  .rail {
    order: 3;
    border-right: 0;
    border-top: 1px solid var(--line);
  }
  .look {
    grid-template-columns: minmax(0, 1fr);
    gap: 10px;
  }
  .picture {
    max-width: 260px;
  }
  .top {
    flex-wrap: wrap;
    gap: 4px 12px;
    padding: 8px 14px;
  }
}
</style>
