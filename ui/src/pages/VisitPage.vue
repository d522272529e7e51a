<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { VisitPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { dayShort, dayYear } from "@/composables/dates";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { nth } from "@/logic/visit";

/** What a visit taught: three sentences, the battery as rows, what weak points are often behind, when again. */
const props = defineProps<{ id: string }>();
const path = { id: props.id };
const { data: v, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/visits/{id}", { params: { path } })));
const { busy, failure, run } = useAction();
const open = computed(() => v.value && !v.value.closed);
const left = computed(() => v.value?.rows.filter((r) => r.stand === "to_come" && !r.waits).length ?? 0);
async function close() {
  const done = await run(() =>
    take(api.POST("/api/visits/{id}/events", { params: { path }, body: { id: uuid(), happened: { kind: "closed" } as never } })),
  );
  if (done) v.value = done.visit as VisitPage;
}
/** The whole battery again: a date for each of its tests, in one press. */
const planned = ref("");
async function again() {
  const page = v.value!;
  const rule = { rule: "every_weeks", weeks: page.again_weeks! } as const;
  const protocols = [...new Set(page.rows.filter((r) => r.stand === "done").map((r) => r.protocol))];
  const lines = await run(async () => {
    let first = null;
    for (const protocol of protocols) {
      const body = { protocol, rule, from: page.on };
      const kept = await take(api.POST("/api/people/{id}/retests", { params: { path: { id: page.person } }, body }));
      first ??= kept.find((k) => k.protocol === protocol) ?? kept[0]!;
    }
    return first;
  });
  if (lines) planned.value = `All of it again on ${dayYear(lines.due_on)}. It stands in the calendar.`;
}
/** A column of its own only where a table or a mark says something. */
const stands = computed(() => v.value?.rows.some((r) => r.pass || r.standing) ?? false);
const print = () => window.print();
</script>

<template>
  <PageState v-if="!v" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page visit">
    <div class="page-head">
      <div>
        <h1>{{ v.name }}</h1>
        <div class="soft">
          {{ v.battery_name }} · {{ dayYear(v.on) }} · {{ nth(v.nth) }} time<template v-if="v.last_on">
            · before that on {{ dayYear(v.last_on) }}</template
          >
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink class="no-print" :to="`/people/${v.person}`">The client’s page</RouterLink>
      <button type="button" class="plain no-print" @click="print">Print</button>
      <RouterLink v-if="open && v.next" class="go no-print" :to="`/visits/${id}/floor`">Go on: {{ v.next.name }}</RouterLink>
      <ElButton v-else-if="open" type="primary" size="large" class="no-print" :loading="busy" @click="close">Close the visit</ElButton>
    </div>
    <p v-if="v.is_stale" class="box care no-print">
      This visit was begun on {{ dayYear(v.on) }} and left open. Go on with it, or close it with what there is.
    </p>
    <div v-if="v.learned" class="lead learned">
      <p>{{ v.learned.moved }}</p>
      <p v-if="v.learned.strong"><b>Strong.</b> {{ v.learned.strong }}</p>
      <p v-if="v.learned.holds_back"><b>Holds back most.</b> {{ v.learned.holds_back }}</p>
    </div>
    <p v-else class="lead">Nothing is done yet.</p>

    <div class="two">
      <section>
        <table>
          <thead>
            <tr>
              <th>In the order it was done</th>
              <th>Today</th>
              <th v-if="stands">Stands</th>
              <th>Since last time</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in v.rows" :key="row.place" :class="row.stand">
              <th scope="row">
                <RouterLink v-if="row.result" :to="`/results/${row.result}`">{{ row.name }}</RouterLink><template v-else>{{
                  row.name
                }}</template>
              </th>
              <td data-of="Today">
                <template v-if="row.figures.length"
                  ><span v-for="f in row.figures" :key="f.label" class="figure"
                    ><b class="num">{{ f.value }}</b
                    ><small v-if="row.figures.length > 1 || f.label !== 'points'">{{ f.label }}</small></span
                  ></template
                >
                <span v-else class="soft"
                  >{{ row.stand === "skipped" ? "left out" : row.stand === "running" ? "on the floor" : "to come"
                  }}<template v-if="row.reason">: {{ row.reason }}</template></span
                >
                <small v-if="row.waits" class="soft">{{ row.waits }}</small>
              </td>
              <td v-if="stands" data-of="Stands">
                <span v-if="row.pass" :class="row.pass.met ? 'met' : 'short'">{{ row.pass.sentence }}</span>
                <span v-else-if="row.standing">{{ row.standing }}</span>
              </td>
              <td data-of="Since last time">
                <template v-if="row.change"
                  ><b :class="row.change.verdict">{{ row.change.verdict_words }}</b
                  ><small v-if="row.change.verdict !== 'not_comparable'"
                    >{{ row.change_words }}<br />{{ dayShort(row.change.from_on) }}</small
                  ><small v-for="u in row.change.unlike" v-else :key="u.key" class="soft"
                    >{{ u.label.toLowerCase() }}: {{ u.then }}, now {{ u.now }}</small
                  ></template
                ><span v-else-if="row.stand === 'done'" class="soft">the first</span>
              </td>
            </tr>
          </tbody>
        </table>
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
        <section v-if="v.again_weeks && v.done" class="box no-print">
          <h2>When again</h2>
          <p v-if="planned" role="status">{{ planned }}</p>
          <template v-else>
            <p>Usually after {{ v.again_weeks }} weeks, the same tests in the same order, and not the day after something hard.</p>
            <ElButton :loading="busy" @click="again">All of it again in {{ v.again_weeks }} weeks</ElButton>
          </template>
        </section>
        <section v-if="open && !v.next" class="no-print">
          <p class="soft">Everything is done or left out. Closing keeps it as it is.</p>
        </section>
        <section v-else-if="open && left" class="no-print">
          <ElButton :loading="busy" @click="close">Close it with what there is</ElButton>
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
.learned p {
  margin: 0 0 6px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 10px 14px 10px 0;
  border-bottom: 1px solid var(--line);
  line-height: 1.35;
}
thead th {
  color: var(--soft);
  font-size: 15px;
  font-weight: 600;
}
tbody th {
  font-weight: 600;
  min-width: 150px;
}
.no_verdict {
  font-weight: 400;
  color: var(--soft);
}
tbody th {
  width: 30%;
}
.figure {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 0 10px;
}
.figure b {
  white-space: nowrap;
  font-size: 18px;
}
td small {
  display: block;
  overflow-wrap: normal;
  color: var(--soft);
}
aside section + section,
aside .box {
  margin-top: 18px;
}
td small {
  font-family: var(--text);
  font-size: 15px;
}
.met,
.clear_gain,
.possible_gain {
  color: var(--moss);
}
.short,
.clear_loss,
.possible_loss {
  color: var(--madder);
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
.behind ul {
  padding-left: 20px;
}
@media (max-width: 700px) {
  thead {
    display: none;
  }
  tbody tr,
  tbody th,
  tbody td {
    display: block;
    border: 0;
    padding: 2px 0;
  }
  tbody tr {
    border-bottom: 1px solid var(--line);
    padding: 8px 0;
  }
}
@media print {
  .no-print {
    display: none !important;
  }
  .met,
  .short,
  b {
    color: #000;
  }
}
</style>
