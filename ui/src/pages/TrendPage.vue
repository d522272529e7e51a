<script setup lang="ts">
import { api, take } from "@/api/client";
import ChangeLine from "@/components/ChangeLine.vue";
import PageState from "@/components/PageState.vue";
import TrendChart from "@/components/TrendChart.vue";
import { dayShort } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";
import { saveCsv } from "@/logic/csv";
import { useRoute } from "vue-router";

const props = defineProps<{ id: string; protocol: string; quantity: string }>();
const path = { id: props.id, protocol: props.protocol, quantity: props.quantity };
/** A result of the series that is shown, where the test has several. */
const like = useRoute().query.like as string | undefined;
const {
  data: t,
  failure,
  loading,
  reload,
} = useLoad(() => take(api.GET("/api/people/{id}/trend/{protocol}/{quantity}", { params: { path, query: { like } } })));
function exportCsv() {
  const rows = t.value!.points.map((p) => [
    p.on,
    p.value,
    t.value!.unit,
    p.unlike.length ? "no" : "yes",
    p.stopped,
    p.range?.low,
    p.range?.high,
  ]);
  saveCsv(`${t.value!.name} ${t.value!.label}`, [
    ["day", t.value!.label, "unit", "comparable", "stopped", "range95_low", "range95_high"],
    ...rows,
  ]);
}
</script>

<template>
  <PageState v-if="!t" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ t.name }}</h1>
        <div class="soft">
          {{ t.protocol_name }}: {{ t.label }}<template v-if="t.unit">, {{ t.unit }}</template
          ><template v-if="t.series">, {{ t.series }}</template>
        </div>
      </div>
      <span class="grow"></span>
      <span class="actions" role="navigation" aria-label="Measure">
        <RouterLink
          v-for="q in t.quantities"
          :key="q.key"
          class="tab"
          :class="{ on: q.key === quantity }"
          :to="{ path: `/people/${id}/trend/${protocol}/${q.key}`, query: like ? { like } : {} }"
          >{{ q.label }}</RouterLink
        >
      </span>
      <ElButton class="no-print" @click="exportCsv">Export CSV</ElButton>
      <RouterLink :to="`/people/${id}`">Back to {{ t.name }}</RouterLink>
    </div>
    <p v-if="t.progress?.since_first ?? t.progress?.since_last" class="lead">
      {{ (t.progress?.since_first ?? t.progress?.since_last)!.sentence }}
    </p>
    <p v-if="t.others.length" class="no-print">
      Followed on its own:
      <template v-for="(o, k) in t.others" :key="o.like"
        ><template v-if="k">, </template
        ><RouterLink :to="{ path: `/people/${id}/trend/${protocol}/${quantity}`, query: { like: o.like } }">{{
          o.name
        }}</RouterLink></template
      >
    </p>
    <TrendChart v-if="t.points.some((p) => p.value != null)" :trend="t" />
    <p v-if="t.typical_error" class="soft">
      Shaded: measurement error around the first comparable test, ± {{ t.typical_error.detectable.toFixed(1) }} {{ t.unit }}.
      <template v-if="t.typical_error.rests_on === 'readings'">It is calculated from the reading error, not measured in people.</template>
      A change inside it may be chance. Better is up.
      <template v-if="t.points.some((p) => p.unlike.length)"
        >A diamond with ≠ was taken under other conditions and is left out of the line.</template
      >
    </p>
    <p v-else class="soft">The measurement error of this test is not known yet, so nothing is shaded. Better is up.</p>

    <p v-if="t.points.some((p) => p.range)" class="soft">
      Bars: the 95 % range of each estimate, how far it may be from the truth. What is this person’s own is the same each time and cancels
      in a change, so a change is held against the measurement error, not against the bars.
    </p>

    <p v-for="g in t.goals" :key="g.sentence"><b>Goal, dashed.</b> {{ g.sentence }}</p>
    <section v-if="t.progress?.since_last && t.progress.since_first" class="since">
      <ChangeLine :change="t.progress.since_last" since="the last test" />
    </section>
    <template v-if="t.events.length">
      <h2>Events</h2>
      <ul class="way">
        <li v-for="h in t.events" :key="h.from_on + h.kind">
          <span class="soft"
            >{{ dayShort(h.from_on) }}<template v-if="h.until_on"> to {{ dayShort(h.until_on) }}</template></span
          >
          {{ h.words ?? h.kind.replace("_", " ") }}
        </li>
      </ul>
    </template>
    <h2>Every test</h2>
    <ul class="rows">
      <li v-for="p in [...t.points].reverse()" :key="p.result">
        <RouterLink class="row-link" :to="`/results/${p.result}`">
          <span class="on">{{ dayShort(p.on) }}</span>
          <span class="value num"
            >{{ p.shown || "–"
            }}<small v-if="p.range" class="soft">{{ Math.round(p.range.low) }} to {{ Math.round(p.range.high) }}</small></span
          >
          <span class="note"
            ><template v-if="p.stopped">{{ p.stopped }}</template
            ><template v-for="u in p.unlike" :key="u.key">≠ {{ u.label }}: {{ u.then }}; {{ u.why }}. </template></span
          >
        </RouterLink>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.on {
  width: 116px;
  color: var(--soft);
}
.value small {
  display: block;
  font-size: 14px;
  font-weight: 400;
}
.value {
  width: 78px;
  text-align: right;
  font-weight: 650;
  font-size: 18px;
}
.note {
  flex: 1;
  color: var(--ochre);
}
.since {
  margin: 10px 0 22px;
}
.tab {
  white-space: nowrap;
  padding: 8px 14px;
  border-radius: 8px;
  border: 1px solid var(--line);
  text-decoration: none;
}
.tab.on {
  background: var(--fjord);
  color: var(--on-fjord);
  border-color: var(--fjord);
}
.way {
  list-style: none;
  padding: 0;
  margin: 0 0 16px;
}
.way span {
  display: inline-block;
  min-width: 26ch;
}
</style>
