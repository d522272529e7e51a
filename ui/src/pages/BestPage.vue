<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import PageState from "@/components/PageState.vue";
import RangeBars from "@/components/RangeBars.vue";
import TrendChart from "@/components/TrendChart.vue";
import { useLoad } from "@/composables/useLoad";
import { saveCsv } from "@/logic/csv";
import { dayShort, dayYear } from "@/logic/dates";

/** One VO₂max from several methods of some weeks, with what it is made of and how it has gone. */
const props = defineProps<{ id: string }>();
const route = useRoute();
const router = useRouter();
/** The window stands in the address: a reload keeps it. */
const weeks = ref(Number(route.query.weeks) || 8);
const until = ref(route.query.until ? String(route.query.until) : undefined);
const {
  data: b,
  failure,
  loading,
  reload,
} = useLoad(() =>
  take(
    api.GET("/api/people/{id}/vo2max", {
      params: { path: { id: props.id }, query: { weeks: weeks.value, ...(until.value ? { until: until.value } : {}) } },
    }),
  ),
);
function choose(end?: string) {
  if (end) until.value = end;
  void router.replace({ query: { weeks: weeks.value, until: until.value } });
  void reload();
}
const best = computed(() => b.value?.combined.best ?? null);
/** The best values as a trend of their own, drawn as any other. */
const trend = computed<InstanceType<typeof TrendChart>["$props"]["trend"] | null>(() => {
  const page = b.value;
  if (!page || page.trend.length < 2) return null;
  const points = page.trend.map((t) => ({
    result: "",
    on: t.on,
    value: t.best.value,
    shown: t.best.shown,
    range: { low: t.best.low, high: t.best.high },
    unlike: [],
    stopped: null,
  }));
  return {
    label: "Best VO₂max",
    unit: "mL/kg/min",
    lower_is_better: false,
    points,
    typical_error: null,
    events: page.events,
    goals: [],
  };
});
function exportCsv() {
  const rows = b.value!.trend.map((t) => [t.on, t.best.value, t.best.low, t.best.high, t.methods, weeks.value]);
  saveCsv(`${b.value!.name} best VO2max`, [["day", "vo2max", "range95_low", "range95_high", "methods", "weeks"], ...rows]);
}
</script>

<template>
  <PageState v-if="!b" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ b.name }}</h1>
        <div class="soft">Best VO₂max from several methods</div>
      </div>
      <span class="grow"></span>
      <ElButton v-if="b.trend.length" class="no-print" @click="exportCsv">Export CSV</ElButton>
      <RouterLink :to="`/people/${id}`">Back to {{ b.name }}</RouterLink>
    </div>
    <div class="window no-print">
      <label
        >Use the tests of
        <select v-model.number="weeks" class="native" @change="choose()">
          <option v-for="n in [2, 4, 8, 12, 26, 52]" :key="n" :value="n">{{ n }} weeks</option>
        </select></label
      >
      <label v-if="b.days.length > 1"
        >up to
        <select class="native" :value="b.combined.until" @change="choose(($event.target as HTMLSelectElement).value)">
          <option v-for="d in b.days" :key="d" :value="d">{{ dayYear(d) }}</option>
        </select></label
      >
    </div>
    <FailureNote :failure="failure" />

    <template v-if="best">
      <p class="figure">
        <b class="num">{{ best.shown }}</b> mL/kg/min <span>{{ best.sentence }}</span>
      </p>
      <p v-if="best.warning" class="box care" role="note">{{ best.warning }}</p>
      <p v-if="b.combined.methods.length === 1" class="soft">
        Only one method in these weeks, so this is its own value. A second method makes the range narrower.
      </p>
      <RangeBars :combined="b.combined" />
    </template>
    <p v-else class="box">
      No VO₂max to build on in the {{ b.combined.weeks }} weeks to {{ dayYear(b.combined.until) }}. Choose more weeks or another day.
    </p>
    <p v-for="d in b.combined.disagreements" :key="d" class="box care" role="note">{{ d }}</p>
    <template v-if="b.combined.left_out.length">
      <h2>Not used</h2>
      <ul class="rows">
        <li v-for="l in b.combined.left_out" :key="l.result">
          <RouterLink class="row-link" :to="`/results/${l.result}`">
            <span class="on">{{ dayShort(l.on) }}</span>
            <span class="what"
              >{{ l.method }}, {{ l.shown }}<small>{{ l.why }}</small></span
            >
          </RouterLink>
        </li>
      </ul>
    </template>
    <section v-if="trend">
      <h2>Over time</h2>
      <TrendChart :trend="trend" />
      <p class="soft">
        Bars: the 95 % range of each value, how far it may be from the truth. What is this person’s own, such as economy and maximum, is the
        same each time and cancels in a change. Judge a change on the page of one method, where it is held against the measurement error.
      </p>
    </section>
    <FoldSection v-if="best" class="why" title="Why this value and this range" :brief="`${best.parts.length} parts`">
      <p>
        Each method counts once, the heavier the surer it is (the inverse of its variance). What several methods share, such as a maximal
        heart rate that nobody measured, is not averaged away. One standard deviation each, in mL/kg/min:
      </p>
      <ul class="parts">
        <li v-for="part in best.parts" :key="part.words">
          <span>{{ part.words }}</span> <b class="num">{{ part.sd.toFixed(1) }}</b>
        </li>
      </ul>
      <p class="soft">Together: the root of the sum of their squares, times 1.96.</p>
    </FoldSection>
  </div>
</template>

<style scoped>
.window {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 22px;
  margin-bottom: 12px;
}
.figure {
  font-size: 20px;
  margin: 0 0 12px;
}
.figure b {
  font-size: 46px;
}
.figure span {
  color: var(--soft);
  margin-left: 12px;
}
@media (max-width: 560px) {
  .figure span {
    display: block;
    margin: 0;
  }
}
.on {
  width: 116px;
  color: var(--soft);
}
.what small {
  display: block;
  color: var(--ochre);
  font-size: 15px;
}
.why,
h2 {
  margin-top: 22px;
}
.parts {
  list-style: none;
  padding: 0;
  max-width: 640px;
}
.parts li {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
}
</style>
