<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { GroupSheet } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import LeaveOutKey from "@/components/fields/LeaveOutKey.vue";
import PasteBox from "@/components/fields/PasteBox.vue";
import PageState from "@/components/PageState.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { save } from "@/logic/csv";
import {
  allCells,
  emptyRows,
  heading,
  readRows,
  readText,
  results,
  toDo,
  unitOf,
  written,
  type Cell,
  type Row,
  type SheetFault,
} from "@/logic/resultsList";

/** Results of a group visit as a list: pasted, from a file, or typed from paper. Nothing is stored before all of it is right. */
const props = defineProps<{ id: string }>();
const [route, router] = [useRoute(), useRouter()];
const path = { id: props.id };
const {
  data,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => {
  const [visit, sheet] = await Promise.all([
    take(api.GET("/api/group-visits/{id}", { params: { path } })),
    take(api.GET("/api/group-visits/{id}/sheet", { params: { path } })),
  ]);
  return { visit, sheet };
});
const asked = route.query.place === undefined ? null : Number(route.query.place);
const { draft, clear } = useDraft(`group.sheet.${props.id}.${asked ?? "all"}`, {
  text: "",
  cells: [] as Cell[],
  rows: [] as Row[],
  unknown: [] as { at: number; heading: string }[],
  chosen: {} as Record<number, Cell>,
  keepMass: false,
});
const sheet = computed(() => data.value?.sheet as GroupSheet);
const places = computed(() => {
  const all = sheet.value.tests.map((t) => t.place);
  return asked !== null && all.includes(asked) ? [asked] : all;
});
const title = computed(() => (places.value.length === 1 ? sheet.value.tests.find((t) => t.place === places.value[0])!.name : "All tests"));
const open = computed(() => draft.value.rows.length > 0);
function begin(cells: Cell[], rows: Omit<Row, "id">[], unknown: { at: number; heading: string }[] = []) {
  refused.value = [];
  Object.assign(draft.value, { cells, unknown, rows: rows.map((r) => ({ ...r, id: uuid() })) });
}
function look() {
  const found = readText(draft.value.text, sheet.value, places.value, draft.value.chosen);
  begin(found.cells, found.rows, found.unknown);
}
/** What a column can be: every reading, its next try first. */
const choices = computed(() => {
  const taken = (c: Cell) => draft.value.cells.filter((d) => d.place === c.place && d.column === c.column).length;
  return sheet.value.tests
    .filter((t) => places.value.includes(t.place))
    .flatMap((t) => t.columns.map((of, column) => ({ cell: { place: t.place, column, nth: 1 }, of })))
    .flatMap(({ cell, of }) => (taken(cell) < of.tries ? [{ ...cell, nth: taken(cell) + 1 }] : []))
    .map((cell) => ({ cell, words: Object.values(heading(sheet.value, cell)).filter(Boolean).join(", ") }));
});
function choose(at: number, event: Event) {
  const found = choices.value[Number((event.target as HTMLSelectElement).value)];
  if (!found) return;
  draft.value.chosen[at] = found.cell;
  look();
}
function fromPaper() {
  const cells = allCells(sheet.value, places.value);
  begin(cells, emptyRows(sheet.value, cells));
}
const read = computed(() => readRows(draft.value.rows, draft.value.cells, sheet.value));
const left = computed(() => toDo(draft.value.rows, read.value));
const { busy, failure, run } = useAction();
/** What the server found wrong, line by line, until the line is changed. */
const refused = ref<SheetFault[]>([]);
const all = computed(() => results(draft.value.rows, read.value, draft.value.cells, sheet.value, (row, place) => keyOf(row, place)));
/** One key for each test of each line, the same whenever it is sent. */
const keys = new Map<string, string>();
function keyOf(row: Row, place: number) {
  const name = `${row.id}/${place}`;
  if (!keys.has(name)) keys.set(name, uuid());
  return keys.get(name)!;
}
const said = (row: Row) => refused.value.filter((f) => f.person === row.person);
const at = (row: Row, k: number) => {
  const cell = draft.value.cells[k]!;
  const of = sheet.value.tests.find((t) => t.place === cell.place)!.columns[cell.column]!;
  return said(row).find((f) => f.place === cell.place && f.field === of.input)?.message;
};
const ofLine = (row: Row) => {
  const shown = new Set(draft.value.cells.map((_, k) => at(row, k)));
  return said(row)
    .map((f) => f.message)
    .filter((m) => !shown.has(m));
};
const changed = (row: Row) => (refused.value = refused.value.filter((f) => f.person !== row.person));
const old = computed(() => refused.value.some((f) => f.field === "mass"));
async function store() {
  const body = { results: all.value, keep_mass: draft.value.keepMass };
  const done = await run(() => take(api.POST("/api/group-visits/{id}/sheet", { params: { path }, body })));
  if (!done) {
    refused.value = (failure.value?.detail as { faults?: SheetFault[] } | undefined)?.faults ?? [];
    return;
  }
  clear();
  await router.push(`/group-visits/${props.id}`);
}
const parts = (n: number, one: string, several: string) => (n ? [`${n} ${n === 1 ? one : several}`] : []);
const standing = computed(() =>
  [
    ...parts(left.value.wrong, "cell to correct", "cells to correct"),
    ...parts(left.value.asked, "value to look at", "values to look at"),
  ].join(", "),
);
/** Enter goes one line down, as in a spreadsheet. */
function down(event: Event, line: number, k: number) {
  const next = document.querySelector<HTMLInputElement>(`[data-cell="${line + 1}/${k}"]`);
  (next ?? (event.target as HTMLInputElement)).focus();
}
const download = () => save(`${data.value!.visit.group_name} ${data.value!.visit.on} ${title.value}`, written(sheet.value, places.value));
</script>

<template>
  <PageState v-if="!data" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>Results as a list</h1>
        <div class="soft">{{ data.visit.group_name }} · {{ data.visit.battery_name }} · {{ title }}</div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/group-visits/${id}`">Back to the group visit</RouterLink>
      <button type="button" class="linklike" @click="download">Export CSV</button>
    </div>
    <p v-if="data.visit.closed">This group visit is over: its results are corrected on their own pages.</p>
    <p v-else-if="!sheet.tests.length">No test of this battery can be typed as numbers in a list.</p>
    <form v-else-if="!open" @submit.prevent="look">
      <PasteBox v-model="draft.text" label="The results"
        >Paste from a spreadsheet: number or name, then the tries. The first line may name its columns, in any order; without names the
        lines go by the order of the group. An x is a try that does not count.</PasteBox
      >
      <div class="actions">
        <ElButton type="primary" size="large" native-type="submit" :disabled="!draft.text.trim()">Look through it</ElButton>
        <ElButton size="large" @click="fromPaper">Enter results from paper</ElButton>
      </div>
    </form>
    <form v-else class="list" @submit.prevent="store">
      <p v-if="draft.unknown.length" class="box care unknown">
        <span>Not read, because no test here is called so:</span>
        <label v-for="u in draft.unknown" :key="u.at"
          >{{ u.heading }} is
          <select class="native" :aria-label="`What is “${u.heading}”?`" @change="choose(u.at, $event)">
            <option value="">not read</option>
            <option v-for="(c, k) in choices" :key="k" :value="k">{{ c.words }}</option>
          </select></label
        >
      </p>
      <div class="scroll">
        <table>
          <thead>
            <tr>
              <th></th>
              <th>Name</th>
              <th v-for="(c, k) in draft.cells" :key="k">
                <span>{{ heading(sheet, c).test }}</span><small>{{
                  [heading(sheet, c).reading, unitOf(sheet, c)].filter(Boolean).join(", ")
                }}</small>
              </th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <template v-for="(row, nth) in draft.rows" :key="row.id">
              <tr :class="{ out: row.out }">
                <td class="num n">{{ sheet.lines.find((l) => l.person === row.person)?.number ?? "" }}</td>
                <th scope="row">
                  <template v-if="row.person">{{ sheet.lines.find((l) => l.person === row.person)?.name }}</template>
                  <select
                    v-else
                    v-model="row.person"
                    class="native"
                    :aria-label="`Who is ${row.called}?`"
                    :disabled="row.out"
                    @change="changed(row)"
                  >
                    <option :value="null">{{ row.called }}?</option>
                    <option v-for="l in sheet.lines" :key="l.person" :value="l.person">{{ l.name }}</option>
                  </select>
                </th>
                <td v-for="(c, k) in draft.cells" :key="k">
                  <input
                    v-model="row.cells[k]"
                    class="native num"
                    :class="{ bad: read[nth]!.cells[k]!.wrong || at(row, k), odd: read[nth]!.cells[k]!.ask && !row.keep }"
                    :data-cell="`${nth}/${k}`"
                    :aria-label="`${sheet.lines.find((l) => l.person === row.person)?.name ?? row.called}, ${heading(sheet, c).test} ${heading(sheet, c).reading}`"
                    :aria-invalid="!!read[nth]!.cells[k]!.wrong"
                    :disabled="row.out"
                    autocomplete="off"
                    @input="changed(row)"
                    @keydown.enter.prevent="down($event, nth, k)"
                  />
                </td>
                <td>
                  <LeaveOutKey :out="row.out" :called="row.called" @out="((row.out = true), changed(row))" @back="row.out = false" />
                </td>
              </tr>
              <tr
                v-if="
                  !row.out &&
                  (read[nth]!.wrong || ofLine(row).length || read[nth]!.cells.some((c, k) => c.wrong || at(row, k) || (c.ask && !row.keep)))
                "
                class="said"
              >
                <td></td>
                <td :colspan="draft.cells.length + 2">
                  <div class="asks">
                    <p v-if="read[nth]!.wrong" class="wrong" role="alert">{{ read[nth]!.wrong }}</p>
                    <p v-for="m in ofLine(row)" :key="m" class="wrong" role="alert">{{ m }}</p>
                    <template v-for="(c, k) in read[nth]!.cells" :key="k">
                      <p v-if="c.wrong || at(row, k)" class="wrong" role="alert">
                        {{ [heading(sheet, draft.cells[k]!).test, heading(sheet, draft.cells[k]!).reading].filter(Boolean).join(", ") }}:
                        {{ c.wrong ?? at(row, k) }}
                      </p>
                      <p v-else-if="c.ask && !row.keep" class="ask">
                        {{ heading(sheet, draft.cells[k]!).reading || heading(sheet, draft.cells[k]!).test }}: {{ c.ask }}
                      </p>
                    </template>
                    <button v-if="!row.keep && read[nth]!.cells.some((c) => c.ask)" type="button" class="linklike" @click="row.keep = true">
                      {{ read[nth]!.cells.filter((c) => c.ask).length === 1 ? "Keep this value" : "Keep these values" }}
                    </button>
                  </div>
                </td>
              </tr>
            </template>
          </tbody>
        </table>
      </div>
      <label v-if="old" class="check"
        ><input v-model="draft.keepMass" type="checkbox" /> Use the body masses on record, although some are old</label
      >
      <FailureNote :failure="refused.length ? null : failure" />
      <div class="actions stays">
        <ElButton type="primary" size="large" native-type="submit" :loading="busy" :disabled="!!standing || !all.length"
          >Store {{ all.length === 1 ? "1 result" : `${all.length} results` }}</ElButton
        >
        <button type="button" class="linklike" @click="((draft.rows = []), (draft.chosen = {}))">Back to the text</button>
        <span class="to-do" role="status">{{ standing || (refused.length ? "Nothing was stored: see the lines above." : "") }}</span>
      </div>
    </form>
  </div>
</template>

<style scoped>
.page {
  max-width: 1320px;
}
.scroll {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
}
th,
td {
  text-align: left;
  padding: 3px 8px 3px 0;
  font-weight: 400;
}
tbody th {
  white-space: nowrap;
  font-size: 17px;
  padding-right: 18px;
}
thead th {
  color: var(--soft);
  font-weight: 600;
  vertical-align: bottom;
  max-width: 150px;
  font-size: 15px;
  line-height: 1.25;
  padding-bottom: 6px;
}
thead small {
  display: block;
  font-weight: 400;
}
.n {
  white-space: nowrap;
  color: var(--soft);
  min-width: 28px;
}
td .native {
  width: 104px;
}
/* What is asked below a line pushes nothing apart: the room is at the end. */
tbody tr:not(.said) td:last-child {
  width: 100%;
}
.unknown label,
.unknown .native {
  max-width: 100%;
}
.native.bad {
  border-color: var(--madder);
  background: var(--madder-wash);
}
.native.odd {
  background: var(--ochre-wash);
}
tr.out th,
tr.out .native {
  color: var(--soft);
  text-decoration: line-through;
}
.unknown {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: center;
}
.page-head .linklike {
  padding: 0;
  min-height: 0;
}
.asks {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.said td {
  padding-bottom: 8px;
}
.said p {
  margin: 0;
}
.check {
  display: block;
  margin-top: 12px;
}
</style>
