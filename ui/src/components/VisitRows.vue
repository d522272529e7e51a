<script setup lang="ts">
import { computed } from "vue";
import type { VisitPage } from "@/api/types";
import { dayShort } from "@/logic/dates";

/** The battery as rows: what it came to, where that stands, what has moved since last time. */
const props = defineProps<{ rows: VisitPage["rows"]; linked?: boolean; again?: boolean }>();
const emit = defineEmits<{ counts: [place: number, result: string]; again: [place: number] }>();
const ordinals = ["first", "second", "third"];
/** A column of its own only where a table or a mark says something. */
const stands = computed(() => props.rows.some((r) => r.pass || r.standing));
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>{{ rows.some((r) => r.tries > 1) ? "Test" : "In the order it was done" }}</th>
        <th>Today</th>
        <th v-if="stands">Target or norm</th>
        <th>Since last time</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.place" :class="row.stand">
        <th scope="row">
          <RouterLink v-if="linked && row.result" :to="`/results/${row.result}`">{{ row.name }}</RouterLink><template v-else>{{
            row.name
          }}</template>
        </th>
        <td data-of="Today">
          <template v-if="row.figures.length"
            ><span v-for="f in row.figures" :key="f.label" class="figure"
              ><b class="num">{{ f.value }}</b
              ><small v-if="row.figures.length > 1 || f.label !== 'points'">{{ f.label }}</small
              ><small v-if="f.range" class="soft">{{ f.range }}</small></span
            ></template
          >
          <span v-else class="soft"
            >{{ row.stand === "skipped" ? "skipped" : row.stand === "running" ? "on the floor" : "to come"
            }}<template v-if="row.reason">: {{ row.reason }}</template></span
          >
          <small v-if="row.points" class="soft">{{ row.points.points }} of {{ row.points.of }} points</small>
          <small v-if="row.tries > 1 && !row.times.length" class="soft">best of {{ row.tries }} tries</small>
          <fieldset v-if="row.times.length && linked" class="times no-print">
            <legend>Done {{ row.times.length }} times. Which one counts?</legend>
            <label v-for="(t, k) in row.times" :key="t.result"
              ><input type="radio" :name="`counts-${row.place}`" :checked="t.counts" @change="emit('counts', row.place, t.result)" />
              {{ ordinals[k] ?? `${k + 1}th` }}: <RouterLink :to="`/results/${t.result}`">{{ t.value }}</RouterLink></label
            >
          </fieldset>
          <button
            v-if="again && row.stand === 'done'"
            type="button"
            class="link again no-print"
            :aria-label="`Do it again: ${row.name}`"
            @click="emit('again', row.place)"
          >
            Do it again
          </button>
          <p v-if="row.details.length" class="details">
            <span v-for="d in row.details" :key="d.label"
              >{{ d.label.toLowerCase() }} <b class="num">{{ d.value }}</b></span
            >
          </p>
          <small v-for="(f, k) in row.flags" :key="`f${k}`" class="flag">{{ f }}</small>
          <small v-for="(r, k) in row.remarks" :key="k" class="soft">“{{ r }}”</small>
          <small v-if="row.how" class="soft no-print">{{ row.how }}</small>
          <small v-if="row.waits" class="soft">{{ row.waits }}</small>
        </td>
        <td v-if="stands" data-of="Target or norm">
          <span v-if="row.pass" :class="row.pass.met ? 'met' : 'short'">{{ row.pass.sentence }}</span>
          <span v-else-if="row.standing">{{ row.standing }}</span>
        </td>
        <td data-of="Since last time">
          <template v-if="row.change"
            ><b :class="row.change.verdict">{{ row.change.verdict_words }}</b
            ><small v-if="row.change.verdict !== 'not_comparable'">{{ row.change_words }}<br />{{ dayShort(row.change.from_on) }}</small
            ><small v-for="u in row.change.unlike" v-else :key="u.key" class="soft"
              >{{ u.label.toLowerCase() }}: {{ u.then }}, now {{ u.now }}</small
            ><small v-for="n in row.change.verdict === 'not_comparable' ? [] : row.change.noted" :key="n" class="soft">{{
              n
            }}</small></template
          ><span v-else-if="row.stand === 'done'" class="soft">the first</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
td[data-of="Target or norm"] {
  min-width: 112px;
}
td[data-of="Since last time"] {
  min-width: 128px;
}
@media (max-width: 700px) {
  td[data-of] {
    min-width: 0;
  }
}
.details {
  margin: 4px 0 2px;
  font-size: 15px;
  line-height: 1.4;
  color: var(--soft);
}
.details span {
  display: inline-block;
  margin-right: 14px;
}
.details b {
  white-space: nowrap;
  color: var(--ink);
  font-weight: 500;
}
.flag {
  display: block;
  color: var(--ochre);
  max-width: 44ch;
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
.again {
  font-size: 15px;
}
.times {
  border: 0;
  margin: 6px 0 0;
  padding: 0;
  font-size: 15px;
}
.times legend {
  color: var(--soft);
  padding: 0;
}
.times label {
  display: block;
}
td small {
  display: block;
  overflow-wrap: normal;
  color: var(--soft);
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
    width: auto;
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
  th,
  td {
    padding-block: 4px !important;
  }
  .details,
  .flag {
    font-size: 12px;
    line-height: 1.2;
    margin: 0;
  }
  .flag {
    max-width: none;
  }
  .met,
  .short,
  b {
    color: #000;
  }
}
</style>
