<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import PageState from "@/components/PageState.vue";
import SectionChips from "@/components/SectionChips.vue";
import SmallTrend from "@/components/SmallTrend.vue";
import { dayYear } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";
import { saveCsv } from "@/logic/csv";
import { lifeEventWords } from "@/logic/lifeEvent";

/** A battery over all its dates, as a table of small pictures. */
const props = defineProps<{ id: string; battery: string }>();
const path = { id: props.id, battery: props.battery };
const { data: h, failure, loading, reload } = useLoad(() => take(api.GET("/api/people/{id}/history/{battery}", { params: { path } })));
const section = ref("");
const sections = computed(() => [...new Set(h.value?.lines.map((l) => l.section) ?? [])]);
const shown = computed(() => h.value?.lines.filter((l) => !section.value || l.section === section.value) ?? []);
const along = computed(() => (h.value?.events ?? []).map((n) => ({ from_on: n.from_on, words: n.words ?? lifeEventWords[n.kind] })));
const during = computed(() => along.value.filter((n) => h.value && n.from_on >= h.value.days[0]! && n.from_on <= h.value.days.at(-1)!));
const print = () => window.print();
function exportCsv() {
  const head = ["test", "measure", "unit", "day", "value", "comparable"];
  const rows = shown.value.flatMap((l) => l.points.map((p) => [l.name, l.label, l.unit, p.on, p.value, p.unlike.length ? "no" : "yes"]));
  saveCsv(`${h.value!.name} ${h.value!.battery_name}`, [head, ...rows]);
}
</script>

<template>
  <PageState v-if="!h" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ h.name }}</h1>
        <div class="soft">
          {{ h.battery_name }} · {{ h.days.length === 1 ? "once" : `${h.days.length} times` }}, {{ dayYear(h.days[0]!)
          }}<template v-if="h.days.length > 1"> to {{ dayYear(h.days.at(-1)!) }}</template>
        </div>
      </div>
      <span class="grow"></span>
      <ElButton class="no-print" @click="exportCsv">Export CSV</ElButton>
      <ElButton class="no-print" @click="print">Print</ElButton>
      <RouterLink class="no-print" :to="`/people/${id}`">Back to {{ h.name }}</RouterLink>
    </div>
    <p class="soft">
      Higher in the chart is better, for measures with a better direction. Shaded: measurement error around the first test; a change inside
      it may be chance. Diamond: measured under other conditions.
    </p>
    <SectionChips v-if="sections.length > 1" v-model="section" class="no-print" :sections="sections" />
    <p v-if="during.length" class="way">
      Events:
      <template v-for="(n, k) in during" :key="n.from_on + n.words">{{ k ? "; " : "" }}{{ dayYear(n.from_on) }}, {{ n.words }}</template
      >.
    </p>
    <div class="many">
      <RouterLink v-for="l in shown" :key="l.protocol + l.quantity" class="one" :to="`/people/${id}/trend/${l.protocol}/${l.quantity}`">
        <SmallTrend :line="l" :from="h.days[0]!" :until="h.days.at(-1)!" :events="along" />
      </RouterLink>
    </div>
    <p v-if="!h.lines.length">Nothing of this battery has a result yet.</p>
  </div>
</template>

<style scoped>
.many {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 250px), 1fr));
  gap: 26px 30px;
  margin-top: 16px;
}
.one {
  color: var(--ink);
  text-decoration: none;
}
.one:hover {
  background: var(--card);
}
.way {
  color: var(--ochre);
}
</style>
