<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { GroupTrend } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import PageState from "@/components/PageState.vue";
import RetestPlanner from "@/components/RetestPlanner.vue";
import MarksBox from "@/components/group/MarksBox.vue";
import MeanTrend from "@/components/group/MeanTrend.vue";
import SquadDots from "@/components/group/SquadDots.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { saveCsv } from "@/logic/csv";
import { dayYear } from "@/logic/dates";
import { below, missing, rows, session, sorted, tone, viewsOf, type View } from "@/logic/standing";

/** A session of a group beside itself: who is where against target, who moved, who is missing. */
const props = defineProps<{ id: string }>();
const [route, router] = [useRoute(), useRouter()];
const playing = ref("");
/** What people took of themselves counts in mean, spread and places. */
const selfReported = ref(false);
const visit = computed(() => (route.query.visit as string | undefined) || undefined);
const {
  data: g,
  failure: lost,
  loading,
  reload,
} = useLoad(() =>
  take(
    api.GET("/api/groups/{id}/standing", {
      params: {
        path: { id: props.id },
        query: { visit: visit.value, playing_group: playing.value || undefined, self_reported: selfReported.value || undefined },
      },
    }),
  ),
);
watch([visit, playing, selfReported], () => void reload());
const trends = ref<GroupTrend[]>([]);
watch(
  () => g.value?.battery,
  async (battery) => {
    if (!battery) return;
    const path = { id: props.id, battery };
    trends.value = await take(api.GET("/api/groups/{id}/trend/{battery}", { params: { path } })).catch(() => []);
  },
);
const view = ref<View>("change");
const by = ref<number | null>(null);
const ranking = ref(false);
const names = ref(true);
const lines = computed(() => (g.value ? sorted(g.value, by.value) : []));
const sort = (k: number) => (by.value = by.value === k ? null : k);
/** Somebody against the squad: the percentile in each measure. */
const shownPerson = ref<string | null>(null);
const person = computed(() => g.value?.lines.find((l) => l.person === shownPerson.value) ?? null);
const trendOf = (k: number) => {
  const of = g.value!.measures[k]!;
  return trends.value.find((t) => t.protocol === of.protocol && t.quantity === of.quantity) ?? null;
};
/** One test with two measures, as its sides. */
const labelled = (m: { protocol: string }) => g.value!.measures.filter((o) => o.protocol === m.protocol).length > 1;
const download = () => saveCsv(`${g.value!.group_name} ${g.value!.visit!.on}`, rows(g.value!, lines.value, names.value));
const print = () => window.print();

const { busy, failure, run } = useAction();
const links = ref<{ name: string; path: string }[] | null>(null);
async function share() {
  const path = { id: g.value!.visit!.id };
  links.value = (await run(() => take(api.POST("/api/group-visits/{id}/links", { params: { path }, body: {} })))) ?? null;
}
const address = (path: string) => new URL(path, window.location.origin).href;
const saveLinks = () => saveCsv(`${g.value!.group_name} links`, [["Name", "Link"], ...links.value!.map((l) => [l.name, address(l.path)])]);
</script>

<template>
  <PageState v-if="!g" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ g.group_name }}</h1>
        <div v-if="g.visit" class="soft">
          {{ g.visit.battery_name }} · {{ dayYear(g.visit.on) }} · {{ g.tested }} tested<template v-if="g.missing"
            >, {{ g.missing }} not</template
          >
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/groups/${id}`" class="no-print">Back to the members</RouterLink>
      <template v-if="g.visit">
        <button type="button" class="linklike no-print" @click="download">Export CSV</button>
        <ElButton class="no-print" size="large" @click="print">Print</ElButton>
      </template>
    </div>
    <p v-if="!g.visit">No session yet. <RouterLink :to="`/groups/${id}/visits/new`">Start a group visit</RouterLink></p>
    <template v-else>
      <ul class="lead">
        <li v-for="(m, k) in g.measures" :key="k">
          <b>{{ m.test }}</b><template v-if="labelled(m)"> ({{ m.label }})</template>: {{ m.moved_words || "nobody has a value yet" }}.
        </li>
      </ul>
      <form class="bar no-print" @submit.prevent>
        <label class="field"
          ><span class="name">Session</span>
          <select
            class="native"
            :value="g.visit.id"
            @change="router.replace({ query: { visit: ($event.target as HTMLSelectElement).value } })"
          >
            <option v-for="v in g.sessions" :key="v.id" :value="v.id">{{ session(v) }}</option>
          </select></label
        >
        <label v-if="g.playing_groups.length > 1" class="field"
          ><span class="name">Playing group</span>
          <select v-model="playing" class="native">
            <option value="">all</option>
            <option v-for="p in g.playing_groups" :key="p" :value="p">{{ p }}</option>
          </select></label
        >
        <label class="field"
          ><span class="name">Below each value</span>
          <select v-model="view" class="native">
            <option v-for="[key, words] in viewsOf(g)" :key="key" :value="key">{{ words }}</option>
          </select></label
        >
        <label v-if="g.self_reported" class="check"><input v-model="selfReported" type="checkbox" /> self-reported values count too</label>
        <label class="check"><input v-model="ranking" type="checkbox" /> places</label>
        <label class="check"><input v-model="names" type="checkbox" /> names</label>
      </form>
      <div class="scroll">
        <table class="standing">
          <thead>
            <tr>
              <th>No.</th>
              <th v-if="names">Name</th>
              <th
                v-for="(m, k) in g.measures"
                :key="k"
                :aria-sort="by === k ? (m.lower_is_better ? 'ascending' : 'descending') : undefined"
              >
                <button type="button" class="head" :title="`Sort by ${m.test}`" @click="sort(k)">
                  {{ m.test }}<small>{{ m.label }}{{ m.unit ? `, ${m.unit}` : "" }}{{ by === k ? " · best first" : "" }}</small>
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            <template v-for="l in lines" :key="l.person">
              <tr :class="{ open: l.person === shownPerson }">
                <td class="num n">{{ l.number ?? "" }}</td>
                <th v-if="names" scope="row">
                  <button type="button" class="who" @click="shownPerson = shownPerson === l.person ? null : l.person">{{ l.name }}</button>
                  <small v-if="l.playing_group" class="soft">{{ l.playing_group }}</small>
                </th>
                <td v-if="l.cells.every((c) => !c)" :colspan="l.cells.length" class="soft">{{ missing(l) }}</td>
                <td v-for="(c, k) in l.cells" v-else :key="k">
                  <template v-if="c">
                    <RouterLink class="num value" :to="`/results/${c.result}`">{{ c.shown }}</RouterLink>
                    <span v-if="c.called" class="num rank">{{ c.called }}</span>
                    <span v-if="ranking && c.rank" class="num rank">{{ c.rank }}.</span>
                    <small :class="tone(c, view)">{{ below(c, view) }}</small>
                  </template>
                  <span v-else class="soft">{{ missing(l) }}</span>
                </td>
              </tr>
              <tr v-if="l.person === shownPerson" class="of-one">
                <td :colspan="l.cells.length + 2">
                  <section v-if="person" class="box profile">
                    <h2>{{ person.name }} in the group</h2>
                    <dl>
                      <template v-for="(c, k) in person.cells" :key="k">
                        <dt>
                          {{ g.measures[k]!.test }}<template v-if="labelled(g.measures[k]!)"> ({{ g.measures[k]!.label }})</template>
                        </dt>
                        <dd v-if="c?.in_group">
                          <span class="rule"><i :style="{ left: `${c.in_group.percentile}%` }"></i></span>
                          <span class="num">{{ Math.round(c.in_group.percentile) }}</span>
                        </dd>
                        <dd v-else class="soft">{{ c ? `fewer than ${g.few} have a value` : "not done" }}</dd>
                      </template>
                    </dl>
                    <p class="soft small">The percentile in the group. Better is to the right.</p>
                    <RouterLink :to="`/people/${person.person}`">{{ person.name }}’s own page</RouterLink>
                  </section>
                </td>
              </tr>
            </template>
          </tbody>
        </table>
      </div>
      <SquadDots :group="g" :measure="by ?? 0" />
      <div class="two">
        <section>
          <FoldSection title="The group’s mean, and who really moved" first>
            <ul class="moved">
              <li v-for="(m, k) in g.measures" :key="k">
                <div>
                  <b>{{ m.test }}</b><span v-if="m.label !== m.test" class="soft"> {{ m.label }}</span>
                  <p>{{ m.moved_words || "Nobody has a value." }}</p>
                  <p class="soft small">{{ m.words ?? `Fewer than ${g.few} people have a value: no mean and no spread.` }}</p>
                </div>
                <MeanTrend v-if="trendOf(k)" :trend="trendOf(k)!" :lower="m.lower_is_better" />
              </li>
            </ul>
          </FoldSection>
          <FoldSection v-if="g.beyond.length" title="Beyond one standard deviation" :brief="`${g.beyond.length}`">
            <ul class="plain">
              <li v-for="b in g.beyond" :key="b">{{ b }}</li>
            </ul>
          </FoldSection>
        </section>
        <aside class="no-print">
          <MarksBox :standing="g" @changed="reload" />
          <RetestPlanner :group-visit="g.visit.id" :protocol="g.battery!" :from="g.visit.on" :kept="[]" />
          <div class="box">
            <h2>Links for everybody</h2>
            <p class="soft">Each opens that person’s own visit, without an account.</p>
            <FailureNote :failure="failure" />
            <ElButton v-if="!links" :loading="busy" @click="share">Make {{ g.tested }} links</ElButton>
            <template v-else>
              <p role="status">{{ links.length }} links. They are shown once.</p>
              <ElButton type="primary" @click="saveLinks">Save them as a file</ElButton>
              <ul class="plain links">
                <li v-for="l in links" :key="l.path">
                  <a :href="address(l.path)">{{ l.name }}</a>
                </li>
              </ul>
            </template>
          </div>
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.page {
  max-width: 1320px;
}
.lead {
  list-style: none;
  margin: 0 0 16px;
  padding: 0;
  font-size: 18px;
  line-height: 1.5;
}
.page-head .linklike {
  padding: 0;
  min-height: 0;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 20px;
  align-items: flex-end;
  margin-bottom: 14px;
}
.bar .field {
  margin: 0;
}
.check {
  padding-bottom: 10px;
}
.scroll {
  overflow-x: auto;
}
.standing {
  border-collapse: collapse;
  width: 100%;
}
.standing th,
.standing td {
  text-align: left;
  vertical-align: top;
  padding: 7px 16px 7px 0;
  border-bottom: 1px solid var(--line);
  font-weight: 400;
}
.standing td:not(.n),
.standing thead th:nth-child(n + 3) {
  min-width: 118px;
}
.standing thead th {
  color: var(--soft);
  font-weight: 600;
  vertical-align: bottom;
}
.standing small {
  display: block;
  font-size: 14px;
  font-weight: 400;
  color: var(--soft);
}
.standing small.good {
  color: var(--fjord);
  font-weight: 600;
}
.standing small.bad {
  color: var(--madder);
  font-weight: 600;
}
.head,
.who {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
  cursor: pointer;
}
.who {
  white-space: nowrap;
  color: var(--fjord);
  text-decoration: underline;
  font-size: 17px;
}
.n,
.standing thead th:first-child {
  width: 44px;
  white-space: nowrap;
}
.value {
  font-size: 19px;
  font-weight: 600;
  color: var(--ink);
  text-decoration: none;
}
.rank {
  margin-left: 8px;
  color: var(--soft);
}
tr.open {
  background: var(--band);
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 28px;
  align-items: start;
  margin-top: 26px;
}
aside {
  display: grid;
  gap: 16px;
}
.moved {
  list-style: none;
  margin: 0;
  padding: 0;
}
.moved li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 20px;
  padding: 12px 0;
  border-top: 1px solid var(--line);
}
.moved li:first-child {
  border-top: 0;
}
.moved p {
  margin: 2px 0;
}
.small {
  font-size: 15px;
}
.profile {
  margin-bottom: 20px;
}
.profile dl {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(120px, 260px);
  gap: 8px 18px;
  margin: 0 0 8px;
}
.profile dd {
  margin: 0;
  display: flex;
  gap: 12px;
  align-items: center;
}
.rule {
  flex: 1;
  height: 2px;
  background: var(--line);
  position: relative;
}
.rule i {
  position: absolute;
  top: -7px;
  width: 10px;
  height: 16px;
  margin-left: -5px;
  background: var(--fjord);
}
.plain {
  list-style: none;
  padding: 0;
  margin: 0;
}
.plain li {
  padding: 3px 0;
}
.links {
  margin-top: 10px;
}
@media (max-width: 1000px) {
  .two,
  .moved li {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
