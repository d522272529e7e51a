<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { ScoringTable } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import DateField from "@/components/fields/DateField.vue";
import { dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { chosen } from "@/logic/file";
import { cells, rowsOf, type GridRow } from "@/logic/scoring";

/** Points for raw scores, in a grid: a line for each test and group, a column for each number of points. */
const props = defineProps<{ id: string }>();
const path = { id: props.id };
const { data: page, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/batteries/{id}/scoring", { params: { path } })));
const columns = ref<string[]>(["1", "2", "3", "4", "5"]);
const grid = ref<GridRow[]>([]);
const levels = ref<{ from: string; name: string }[]>([]);
const from = ref("");
const shown = ref<number | null>(null);
const table = computed(() => page.value?.tables.find((t) => t.version === shown.value) ?? null);
function show(rows: ScoringTable["rows"]) {
  ({ columns: columns.value, grid: grid.value } = cells(rows));
}
watch(page, (p) => {
  if (!p || shown.value !== null) return;
  shown.value = p.current ?? p.tables.at(-1)?.version ?? 0;
  from.value = new Date().toISOString().slice(0, 10);
  if (!table.value) grid.value = p.tests.map((t) => ({ place: t.place, sex: "", from: "", to: "", cells: ["", "", "", "", ""] }));
});
watch(table, (t) => {
  if (!t) return;
  show(t.rows);
  levels.value = (t.levels ?? []).map((l) => ({ from: String(l.from), name: l.name }));
});
const test = (place: number) => page.value?.tests.find((t) => t.place === place);
const { busy, failure, run } = useAction();
const local = ref<string | null>(null);
const wrongRow = computed(() => Number(/^rows\.(\d+)$/.exec(failure.value?.field ?? "")?.[1] ?? -1));
async function keep() {
  const read = rowsOf(columns.value, grid.value);
  local.value = typeof read === "string" ? read : null;
  if (typeof read === "string") return;
  const body = {
    from: from.value,
    rows: read,
    levels: levels.value.filter((l) => l.name.trim()).map((l) => ({ from: Number(l.from), name: l.name.trim() })),
  } as ScoringTable;
  const kept = await run(() => take(api.PUT("/api/batteries/{id}/scoring", { params: { path }, body })));
  if (!kept) return;
  page.value = kept;
  shown.value = kept.tables.at(-1)!.version ?? 0;
}
async function past(version: number | null) {
  const done = await run(() => take(api.POST("/api/batteries/{id}/scoring/past", { params: { path }, body: { version } })));
  if (done) page.value = done;
}
async function choose(event: Event) {
  const file = chosen(event);
  if (!file) return;
  const text = await file.text();
  const rows = await run(() => take(api.POST("/api/scoring/read", { body: { text } })));
  if (rows) show(rows);
}
function add(place: number) {
  const at = grid.value.findLastIndex((r) => r.place === place) + 1;
  grid.value.splice(at, 0, { place, sex: "", from: "", to: "", cells: columns.value.map(() => "") });
}
function column(by: 1 | -1) {
  if (by > 0) columns.value.push(String(Number(columns.value.at(-1) ?? 0) + 1));
  else columns.value.pop();
  for (const row of grid.value) row.cells.length = columns.value.length;
  for (const row of grid.value) for (let k = 0; k < columns.value.length; k++) row.cells[k] ??= "";
}
</script>

<template>
  <PageState v-if="!page" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="keep">
    <div class="page-head">
      <div>
        <h1>Points</h1>
        <div class="soft">{{ page.battery_name }} · raw scores are saved; points are calculated from them</div>
      </div>
      <span class="grow"></span>
      <RouterLink to="/batteries">Batteries</RouterLink>
    </div>
    <p v-if="!page.tables.length" class="lead">
      No table yet. Type what each number of points takes; leave a cell empty where there is none.
    </p>
    <div v-else class="versions">
      <label
        >Table
        <select v-model="shown" class="native">
          <option v-for="t in page.tables" :key="t.version" :value="t.version">
            {{ t.version }}, from {{ dayYear(t.from) }}{{ t.version === page.current ? ", holds now" : "" }}
          </option>
        </select></label
      >
      <a v-if="table" :href="`/api/batteries/${id}/scoring/${table.version}/csv`">As CSV</a>
      <template v-if="page.for_past">
        <span>Table {{ page.for_past }} is applied to every visit of the past.</span>
        <button type="button" class="linklike" :disabled="busy" @click="past(null)">Each visit by the table of its day again</button>
      </template>
      <button
        v-else-if="table && page.tables.length > 1"
        type="button"
        class="linklike"
        :disabled="busy"
        @click="past(table.version ?? null)"
      >
        Apply table {{ table.version }} to the past too
      </button>
    </div>
    <div class="scroll">
      <table>
        <thead>
          <tr>
            <th>Test</th>
            <th>Who</th>
            <th>Age</th>
            <th v-for="(_, k) in columns" :key="k">
              <input v-model="columns[k]" class="native num points" :aria-label="`Points of column ${k + 1}`" />
            </th>
            <th class="add">
              <button type="button" class="linklike" aria-label="A column more" @click="column(1)">+</button>
              <button v-if="columns.length > 1" type="button" class="linklike" aria-label="A column less" @click="column(-1)">−</button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, k) in grid" :key="k" :class="{ wrong: k === wrongRow }">
            <th scope="row">
              <template v-if="grid[k - 1]?.place !== row.place"
                >{{ test(row.place)?.name }}
                <small class="soft"
                  >{{ test(row.place)?.label }}<template v-if="test(row.place)?.unit">, {{ test(row.place)?.unit }}</template> ·
                  {{ test(row.place)?.lower_is_better ? "at most" : "at least" }}</small
                ></template
              >
            </th>
            <td>
              <select v-model="row.sex" class="native" :aria-label="`Who, line ${k + 1}`">
                <option value="">everybody</option>
                <option value="female">women</option>
                <option value="male">men</option>
              </select>
            </td>
            <td class="ages">
              <input
                v-model="row.from"
                class="native num"
                inputmode="numeric"
                :aria-label="`From age, line ${k + 1}`"
                placeholder="any"
              />–<input v-model="row.to" class="native num" inputmode="numeric" :aria-label="`To age, line ${k + 1}`" placeholder="any" />
            </td>
            <td v-for="(_, c) in columns" :key="c">
              <input
                v-model="row.cells[c]"
                class="native num cell"
                inputmode="decimal"
                :aria-label="`${test(row.place)?.name ?? 'Test'}, raw score for ${columns[c]} points, line ${k + 1}`"
              />
            </td>
            <td class="add">
              <button type="button" class="linklike" :aria-label="`Another group for line ${k + 1}`" @click="add(row.place)">
                + group
              </button>
              <button
                v-if="grid.filter((r) => r.place === row.place).length > 1"
                type="button"
                class="linklike"
                :aria-label="`Take out line ${k + 1}`"
                @click="grid.splice(k, 1)"
              >
                take out
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <h2>Levels by the total</h2>
    <div v-for="(l, k) in levels" :key="k" class="level">
      <label>from <input v-model="l.from" class="native num points" inputmode="decimal" :aria-label="`Level ${k + 1} from`" /></label>
      <input v-model="l.name" class="native" :aria-label="`Name of level ${k + 1}`" />
      <button type="button" class="linklike" :aria-label="`Take out level ${k + 1}`" @click="levels.splice(k, 1)">take out</button>
    </div>
    <button type="button" class="linklike" @click="levels.push({ from: '', name: '' })">Add a level</button>
    <DateField label="Holds from" v-model="from" name="from" required />
    <p v-if="local" class="wrong" role="alert">{{ local }}</p>
    <FailureNote :failure="failure" />
    <div class="actions">
      <ElButton type="primary" size="large" native-type="submit" :loading="busy">Save as new table</ElButton>
      <label class="file linklike">Read a CSV<input class="visually-hidden" type="file" accept=".csv,text/csv" @change="choose" /></label>
    </div>
  </form>
</template>

<style scoped>
.versions {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 20px;
  margin-bottom: 14px;
}
.versions .native {
  width: auto;
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
  vertical-align: top;
  padding: 6px 10px 6px 0;
  font-weight: 400;
  border-bottom: 1px solid var(--line);
}
tbody th {
  min-width: 210px;
  font-weight: 600;
  line-height: 1.3;
}
th small {
  display: block;
  font-weight: 400;
  font-size: 15px;
}
tr.wrong {
  outline: 2px solid var(--madder);
}
.cell,
.points {
  width: 76px;
}
.ages {
  white-space: nowrap;
}
.ages .native {
  width: 62px;
}
td .native {
  width: auto;
}
td .cell {
  width: 76px;
}
.add {
  white-space: nowrap;
}
.level {
  display: flex;
  gap: 14px;
  align-items: center;
  flex-wrap: wrap;
  padding: 4px 0;
}
.level .native:not(.points) {
  width: 220px;
}
.field {
  max-width: 220px;
  margin-top: 16px;
}
.file {
  display: inline-flex;
  align-items: center;
}
.file:focus-within {
  outline: 3px solid var(--fjord);
}
</style>
