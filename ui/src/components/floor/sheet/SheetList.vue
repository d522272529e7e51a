<script setup lang="ts">
import { computed } from "vue";
import type { SheetRow, SheetState } from "@/api/types";
import { shownUnit, type Units } from "@/logic/units";
import { rowName, shown, taken } from "@/logic/sheet";

/** Everything that was taken: a line for each reading and side, its tries in order. A try is struck with a press. */
const props = defineProps<{ sheet: SheetState; at: number; closed: boolean; units: Units }>();
const emit = defineEmits<{ choose: [row: number]; strike: [row: SheetRow, attempt: number] }>();
/** Whether each load was made stands at the load. */
const lines = computed(() =>
  props.sheet.rows.map((row, at) => ({ row, at })).filter(({ row }) => row.take.kind !== "load" || row.kind === "number"),
);
const made = (row: SheetRow, n: number) => {
  const rules = taken(row, "load");
  if (!rules) return "";
  const verdicts = props.sheet.rows.find((r) => r.input === rules.made);
  return verdicts?.cells[n]?.value === true ? " made" : " missed";
};
/** Which stage of a ladder a cell is: it may have begun anywhere. */
const stageOf = (row: SheetRow, n: number) => row.tried?.[n] ?? n + 1;
/** A stage of a ladder stands by its number; a failed one is struck. */
const text = (row: SheetRow, cell: SheetRow["cells"][number], n: number) =>
  row.take.kind === "ladder" && typeof cell.value === "boolean" ? String(stageOf(row, n)) : shown(row, cell.value, props.units);
const failed = (row: SheetRow, value: unknown) => row.take.kind === "ladder" && value === false;
const said = (row: SheetRow, cell: SheetRow["cells"][number], n: number) =>
  row.take.kind === "ladder" && typeof cell.value === "boolean"
    ? `Stage ${stageOf(row, n)} ${cell.value ? "passed" : "failed"}`
    : `${rowName(row)}, try ${n + 1}: ${shown(row, cell.value, props.units)}${made(row, n)}${cell.counts ? "" : ", does not count"}`;
const struckOf = (row: SheetRow) => row.cells.reduce((sum, cell) => sum + cell.struck, 0);
</script>

<template>
  <h2 class="visually-hidden">Readings</h2>
  <ul class="sheet">
    <li v-for="{ row, at: k } in lines" :key="`${row.input}.${row.side ?? ''}`" :class="{ now: k === at }">
      <button type="button" class="name" :disabled="closed" :aria-current="k === at" @click="emit('choose', k)">
        {{ rowName(row) }}<small v-if="row.unit"> {{ shownUnit(row.unit, units) }}</small>
      </button>
      <span class="cells">
        <button
          v-for="(cell, n) in row.cells"
          :key="n"
          type="button"
          class="cell num"
          :class="{ struck: !cell.counts || failed(row, cell.value) }"
          :disabled="closed || row.tries === 1 || row.take.kind === 'load'"
          :aria-label="said(row, cell, n)"
          :title="cell.counts ? 'Strike this try' : 'Let this try count again'"
          @click="emit('strike', row, n + 1)"
        >
          {{ text(row, cell, n) }}<small v-if="made(row, n)">{{ made(row, n) }}</small>
        </button>
        <small v-if="row.seen?.length" class="soft">{{ row.seen.join(", ").toLowerCase() }}</small>
        <small v-if="struckOf(row)" class="soft">{{ struckOf(row) }} crossed out</small>
      </span>
    </li>
  </ul>
  <p v-if="sheet.rows.some((r) => r.tries > 1 && r.cells.length && r.take.kind !== 'load')" class="soft hint">
    Press a try that does not count. It stays in the list, crossed out.
  </p>
</template>

<style scoped>
.sheet {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 2px;
}
li {
  display: flex;
  align-items: center;
  gap: 10px;
  border-left: 5px solid transparent;
  padding: 0 16px 0 14px;
}
li.now {
  border-color: var(--ember);
  background: var(--band);
}
li.now .name {
  font-weight: 650;
}
.name {
  flex: 1 1 40%;
  text-align: left;
  background: none;
  border: 0;
  color: var(--ink);
  font: inherit;
  min-height: 40px;
  padding: 4px 0;
  justify-content: flex-start;
}
.name {
  display: block;
}
.name small {
  margin-left: 6px;
  color: var(--soft);
}
.cells {
  flex: 0 1 auto;
  max-width: 62%;
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  justify-content: flex-end;
}
.cell {
  min-height: 40px;
  min-width: 56px;
  padding: 4px 10px;
  font-size: 19px;
  font-weight: 600;
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 6px;
  color: var(--ink);
  justify-content: center;
}
.cell:disabled {
  opacity: 1;
}
.cell.struck {
  text-decoration: line-through;
  color: var(--soft);
  font-weight: 400;
}
.hint {
  margin: 4px 0 0;
}
</style>
