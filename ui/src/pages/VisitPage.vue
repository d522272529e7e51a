<script setup lang="ts">
import { useRouter } from "vue-router";
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { HistoryPage, VisitEvent } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FromAfarBox from "@/components/FromAfarBox.vue";
import FoldSection from "@/components/FoldSection.vue";
import GoalLines from "@/components/GoalLines.vue";
import RetestPlanner from "@/components/RetestPlanner.vue";
import ShareBox from "@/components/ShareBox.vue";
import SmallTrend from "@/components/SmallTrend.vue";
import VisitRows from "@/components/VisitRows.vue";
import PageState from "@/components/PageState.vue";
import { dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useVisitChange } from "@/composables/useVisitChange";
import { useNews } from "@/composables/useNews";
import { useLoad } from "@/composables/useLoad";
import { lifeEventWords } from "@/logic/lifeEvent";
import { nth } from "@/logic/visit";
import { visitHere } from "@/offline/visit";

/** What a visit taught: three sentences, the battery as rows, what weak points are often behind, when again. */
const router = useRouter();
const props = defineProps<{ id: string }>();
const path = { id: props.id };
/** Another scoring table than the one that holds. */
const asked = ref<number | null>(null);
const table = computed({
  get: () => asked.value ?? v.value?.total?.version ?? null,
  set: (n) => {
    asked.value = n;
    void reload();
  },
});
const {
  data: v,
  failure: lost,
  loading,
  reload,
} = useLoad(async () =>
  visitHere(await take(api.GET("/api/visits/{id}", { params: { path, query: { table: asked.value ?? undefined } } }))),
);
const decide = useVisitChange(v, reload);
const { busy, failure, run } = useAction();
useNews(
  () => v.value?.person,
  () => void (busy.value || reload()),
);
const open = computed(() => v.value && !v.value.closed);
const left = computed(() => v.value?.rows.filter((r) => r.stand === "to_come" && !r.waits).length ?? 0);
const close = () => change({ kind: "closed" });
async function change(event: VisitEvent) {
  await run(() => decide(event));
}
async function again(place: number) {
  await change({ kind: "again", place });
  if (!failure.value && v.value?.next?.live) void router.push(`/visits/${props.id}/floor`);
}
const print = () => window.print();

/** The battery over its dates up to this one: the pictures of change, on the page and on paper. */
const history = ref<HistoryPage | null>(null);
watch(v, async (page) => {
  if (!page || page.nth < 2 || history.value) return;
  const of = { id: page.person, battery: page.battery };
  history.value = await take(api.GET("/api/people/{id}/history/{battery}", { params: { path: of } })).catch(() => null);
});
const lines = computed(() => {
  const until = v.value?.on ?? "";
  const cut = (history.value?.lines ?? []).map((l) => ({ ...l, points: l.points.filter((p) => p.on <= until && p.value != null) }));
  return cut.filter((l) => l.points.length > 1);
});
const nextTime = computed(() => v.value?.retests[0] ?? null);
</script>

<template>
  <PageState v-if="!v" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page visit">
    <div class="page-head">
      <div>
        <h1>{{ v.name }}</h1>
        <div class="soft">
          {{ v.battery_name }} · {{ dayYear(v.on) }} · {{ nth(v.nth) }} time<template v-if="v.last_on">
            · previous visit {{ dayYear(v.last_on) }}</template
          >
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink v-if="v.photos" class="no-print" :to="`/people/${v.person}/photos`">Photographs</RouterLink>
      <RouterLink v-if="v.nth > 1" class="no-print" :to="`/people/${v.person}/history/${v.battery}`"
        >History ({{ v.nth }} visits)</RouterLink
      >
      <RouterLink v-if="v.group" class="no-print" :to="`/group-visits/${v.group.id}`">To {{ v.group.name }}</RouterLink>
      <RouterLink class="no-print" :to="`/people/${v.person}`">Back to {{ v.name }}</RouterLink>
      <button type="button" class="plain no-print" @click="print">Print</button>
      <RouterLink v-if="open && v.next" class="go no-print" :to="`/visits/${id}/floor`">Continue with {{ v.next.name }}</RouterLink>
      <ElButton v-else-if="open" type="primary" size="large" class="no-print" :loading="busy" @click="close">Close the visit</ElButton>
    </div>
    <p v-if="v.is_stale" class="box care no-print">
      This visit was begun on {{ dayYear(v.on) }} and left open. Go on with it, or close it as it is.
    </p>
    <div v-if="v.learned" class="lead learned">
      <p>{{ v.learned.moved }}</p>
      <p v-if="v.learned.strong"><b>Strongest:</b> {{ v.learned.strong }}</p>
      <p v-if="v.learned.holds_back"><b>Weakest:</b> {{ v.learned.holds_back }}</p>
    </div>
    <p v-else class="lead">Nothing is done yet.</p>
    <p v-if="v.total" class="total">
      <b class="num">{{ v.total.points }}</b> of {{ v.total.most }} points<template v-if="v.total.level">: {{ v.total.level }}</template>
      <span class="soft"
        >, by {{ v.total.by }}<template v-if="v.total.instead_of"> instead of {{ v.total.instead_of }}</template
        >.</span
      >
      <label v-if="v.total.versions.length > 1" class="no-print"
        >By table
        <select v-model="table" class="native">
          <option v-for="n in v.total.versions" :key="n" :value="n">{{ n }}</option>
        </select></label
      >
      <RouterLink class="no-print" :to="`/batteries/${v.battery}/points`">The table</RouterLink>
    </p>

    <div class="two">
      <section>
        <VisitRows
          :rows="v.rows"
          linked
          :again="!!open && !v.window"
          @again="again"
          @counts="(place, result) => change({ kind: 'counts', place, result })"
        />
        <FailureNote class="no-print" :failure="failure" />
        <p v-if="nextTime" class="paper">
          Next time: <b>{{ dayYear(nextTime.due_on) }}</b>.
        </p>
        <FoldSection v-if="history && lines.length" title="Over time" class="over-time">
          <div class="many">
            <SmallTrend
              v-for="(l, k) in lines"
              :key="l.protocol + l.quantity"
              brief
              :class="{ more: l.name === lines[k - 1]?.name }"
              :line="l"
              :from="history.days[0]!"
              :until="v.on"
              :events="history.events.map((n) => ({ from_on: n.from_on, words: n.words ?? lifeEventWords[n.kind] }))"
            />
          </div>
        </FoldSection>
        <p class="paper soft">
          A change counts as clear only where it is larger than the test’s measurement error. These are measurements, not a medical finding:
          pain or doubt goes to a doctor.
        </p>
      </section>
      <aside>
        <section v-if="v.failed.length" class="behind">
          <h2>Often behind it</h2>
          <ul>
            <li v-for="f in v.failed" :key="f.point">
              <b>{{ f.point }}</b><template v-if="f.often">: often {{ f.often }}</template>
            </li>
          </ul>
          <p class="soft">{{ v.work }}</p>
        </section>
        <FoldSection v-if="v.goals.length" title="Goals" :brief="`${v.goals.length}`">
          <GoalLines :goals="v.goals" />
        </FoldSection>
        <RetestPlanner
          v-if="v.done"
          :key="v.retests.length"
          class="no-print"
          :person="v.person"
          :protocol="v.battery"
          :from="v.on"
          :kept="v.retests"
          :weeks="v.again_weeks"
          @kept="reload"
        />
        <FoldSection v-if="v.done" :title="`For ${v.name}`" brief="a link of their own" class="no-print">
          <ShareBox :visit="v" />
        </FoldSection>
        <FromAfarBox :visit="v" @changed="reload" />
        <section v-if="open && !v.next" class="no-print">
          <p class="soft">Every test is done or skipped. Closing saves the visit as it is.</p>
        </section>
        <section v-else-if="open && left" class="no-print">
          <ElButton :loading="busy" @click="close">Close the visit as it is</ElButton>
        </section>
        <FailureNote :failure="failure" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 36px;
  align-items: start;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
.total {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 8px;
}
.total b {
  font-size: 26px;
}
.total select {
  width: auto;
  display: inline-block;
}
.learned p {
  margin: 0 0 6px;
}
aside > * + *,
aside section + section,
aside .box {
  margin-top: 18px;
}
.behind ul {
  padding-left: 20px;
}
section h2 {
  margin-top: 26px;
}
aside h2 {
  margin-top: 0;
}
.many {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 190px), 1fr));
  gap: 20px 26px;
}
.paper {
  display: none;
  margin: 14px 0;
}
@page {
  margin: 12mm;
}
@media print {
  /* Six tests on one page. */
  .visit {
    zoom: 0.8;
    min-height: 0 !important;
  }
  .no-print {
    display: none !important;
  }
  .paper {
    display: block;
  }
  .many {
    grid-template-columns: repeat(6, 1fr);
    gap: 10px 14px;
    font-size: 12px;
  }
  .many :deep(.ends) {
    font-size: 13px;
  }
  /* The first measure of each test: on paper everything has its place on one page. */
  .more {
    display: none;
  }
}
.plain {
  font: 600 16px var(--text);
  min-height: 44px;
  padding: 6px 18px;
  border-radius: 8px;
  border: 1px solid var(--fjord);
  background: none;
  color: var(--fjord);
  cursor: pointer;
}
</style>
