<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { ListLine, ListLineRead } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import LeaveOutKey from "@/components/fields/LeaveOutKey.vue";
import PasteBox from "@/components/fields/PasteBox.vue";
import { dayShort } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { dayExample } from "@/logic/day";
import { counted, faults, isOpen, type ListRow } from "@/logic/roster";
import { useSession } from "@/stores/session";

/** A pasted list: each cell that is wrong says so, near names are asked about, and nothing is stored before all of it is right. */
const props = defineProps<{ group?: string }>();
const router = useRouter();
const session = useSession();
const example = computed(() => dayExample(session.info?.month_first ?? false).replace("2026", "1990"));
const { draft, clear } = useDraft(props.group ? `people.list.${props.group}` : "people.list", {
  text: "",
  units: "metric" as "metric" | "imperial",
  rows: [] as ListRow[],
});
const rows = computed(() => draft.value.rows);
const going = computed(() => rows.value.filter((r) => r.what !== "leave"));
const { busy, failure, run } = useAction();

const COLUMNS: { key: keyof ListLine; label: string }[] = [
  { key: "name", label: "Name" },
  { key: "born", label: "Birth date" },
  { key: "sex", label: "Sex" },
  { key: "height", label: "Height" },
  { key: "mass", label: "Body mass" },
];
/** In a group everybody may have a playing group and a number. */
const columns = props.group
  ? [...COLUMNS, { key: "playing_group" as const, label: "Playing group" }, { key: "number" as const, label: "No." }]
  : COLUMNS;
const cellsOf = ({ name, born, sex, height, mass, playing_group, number }: ListLineRead): ListLine => ({
  name,
  born,
  sex,
  height,
  mass,
  playing_group,
  number,
});

async function read() {
  const body = { text: draft.value.text, lines: [], units: draft.value.units, group: props.group };
  const found = await run(() => take(api.POST("/api/people/list/read", { body })));
  if (found) draft.value.rows = found.lines.map((l) => ({ id: uuid(), cells: cellsOf(l), said: l, what: null }));
}
/** What is said of each line, anew; what was typed meanwhile stays. */
async function check() {
  const asked = rows.value;
  const lines = asked.map((r) => ({ ...r.cells }));
  const found = await run(() =>
    take(api.POST("/api/people/list/read", { body: { text: "", lines, units: draft.value.units, group: props.group } })),
  );
  if (found && asked === rows.value) asked.forEach((row, k) => (row.said = found.lines[k]!));
}
const soon = useDebounceFn(check, 350);
const fault = (row: ListRow, key: string) => faults(row).find((f) => f.field === key)?.message;

const toDo = computed(() => counted(rows.value));
const added = ref(false);
async function add() {
  await check();
  if (failure.value || toDo.value) return;
  const lines = going.value.map((r) => ({ id: r.id, known: r.what === "known" ? r.said.near[0]!.id : null, ...r.cells }));
  const done = await run(() => take(api.POST("/api/people/list", { body: { lines, units: draft.value.units, group: props.group } })));
  if (!done) return;
  added.value = true;
  clear();
  await router.push(props.group ? `/groups/${props.group}` : "/people");
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1>{{ group ? "Add a list to the group" : "Add a list of clients" }}</h1>
        <div class="soft">One person a line. Nothing is stored before you have looked through it.</div>
      </div>
    </div>
    <fieldset class="field">
      <legend class="name">A body mass without a unit is in</legend>
      <ElRadioGroup v-model="draft.units" aria-label="A body mass without a unit is in" @change="rows.length && soon()">
        <ElRadioButton value="metric">kg</ElRadioButton>
        <ElRadioButton value="imperial">lb</ElRadioButton>
      </ElRadioGroup>
    </fieldset>
    <form v-if="!rows.length" @submit.prevent="read">
      <PasteBox v-model="draft.text" label="The list"
        >Paste from a spreadsheet: name, birth date ({{ example }}), sex (f or m),<template v-if="group"> playing group, number,</template>
        height, body mass. The first line may name its columns, in any order. What a list does not have can be typed in the next
        step.</PasteBox
      >
      <FailureNote :failure="failure" />
      <div class="actions">
        <ElButton type="primary" size="large" native-type="submit" :loading="busy" :disabled="!draft.text.trim()">Look through it</ElButton>
        <RouterLink to="/people">Cancel</RouterLink>
      </div>
    </form>
    <form v-else @submit.prevent="add">
      <div class="grid heads" :class="{ wide: group }" aria-hidden="true">
        <span></span><b v-for="c in columns" :key="c.key">{{ c.label }}</b>
      </div>
      <ol class="lines">
        <li v-for="(row, k) in rows" :key="row.id" :class="{ out: row.what === 'leave' }">
          <div class="grid" :class="{ wide: group }">
            <span class="n num">{{ k + 1 }}</span>
            <label v-for="c in columns" :key="c.key" class="cell">
              <span class="what">{{ c.label }}</span>
              <input
                v-model="row.cells[c.key]"
                class="native"
                :class="{ num: c.key !== 'name', bad: fault(row, c.key) }"
                :aria-label="`${c.label}, line ${k + 1}`"
                :aria-invalid="!!fault(row, c.key)"
                :disabled="row.what === 'leave'"
                autocomplete="off"
                @input="soon"
              />
              <span v-if="fault(row, c.key)" class="wrong">{{ fault(row, c.key) }}</span>
              <span v-else-if="c.key === 'born' && row.said.born_on && row.cells.born !== dayShort(row.said.born_on)" class="as">{{
                dayShort(row.said.born_on)
              }}</span>
            </label>
            <LeaveOutKey :out="row.what === 'leave'" :called="`line ${k + 1}`" @out="row.what = 'leave'" @back="row.what = null" />
          </div>
          <p v-if="isOpen(row) || row.what === 'add' || row.what === 'known'" class="ask" :class="{ open: isOpen(row) }">
            <span v-if="row.said.near.length"
              >On record already?
              <template v-for="(n, i) in row.said.near" :key="n.id"
                ><template v-if="i">, </template><RouterLink :to="`/people/${n.id}`" target="_blank">{{ n.name }}</RouterLink
                >, born {{ dayShort(n.born) }}<template v-if="n.in_group">, in this group already</template></template
              ></span
            >
            <span v-else-if="row.said.twin">The same person as line {{ row.said.twin }}?</span>
            <span class="choice">
              <button
                v-if="group && row.said.near.length === 1 && !row.said.near[0]!.in_group"
                type="button"
                :aria-pressed="row.what === 'known'"
                @click="row.what = 'known'"
              >
                Yes, put into the group
              </button>
              <button type="button" @click="row.what = 'leave'">Yes, leave out</button>
              <button type="button" :aria-pressed="row.what === 'add'" @click="row.what = 'add'">No, add as a new client</button>
            </span>
          </p>
        </li>
      </ol>
      <FailureNote :failure="failure" />
      <div class="actions stays">
        <ElButton type="primary" size="large" native-type="submit" :loading="busy || added" :disabled="!!toDo || !going.length"
          >Add {{ going.length === 1 ? "1 client" : `${going.length} clients` }}</ElButton
        >
        <button type="button" class="linklike" @click="draft.rows = []">Back to the text</button>
        <span v-if="toDo" class="to-do" role="status">{{ toDo }}</span>
      </div>
    </form>
  </div>
</template>

<style scoped>
.grid {
  display: grid;
  grid-template-columns: 32px minmax(0, 2.2fr) minmax(0, 1.4fr) minmax(0, 0.8fr) minmax(0, 1fr) minmax(0, 1fr) 78px;
  gap: 8px;
  align-items: start;
}
.grid.wide {
  grid-template-columns:
    32px minmax(0, 2.2fr) minmax(0, 1.3fr) minmax(0, 0.7fr) minmax(0, 0.9fr) minmax(0, 0.9fr) minmax(0, 1.2fr) minmax(0, 0.7fr)
    78px;
}
.heads {
  color: var(--soft);
  margin: 18px 0 4px;
}
.lines {
  list-style: none;
  margin: 0 0 16px;
  padding: 0;
}
.lines li {
  padding: 7px 0;
  border-top: 1px solid var(--line);
}
.n {
  padding-top: 9px;
  color: var(--soft);
}
.cell .what {
  display: none;
}
.cell .native {
  width: 100%;
  min-width: 0;
}
.cell .native.bad {
  border-color: var(--madder);
  background: var(--madder-wash);
}
.cell .wrong {
  display: block;
  font-size: 14px;
  line-height: 1.3;
}
.cell .as {
  display: block;
  font-size: 14px;
  color: var(--soft);
  padding-left: 11px;
}
.out .native {
  color: var(--soft);
  text-decoration: line-through;
  background: none;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
  margin: 4px 0 2px 40px;
  padding: 4px 12px;
  border-radius: 8px;
}
.ask.open {
  background: var(--ochre-wash);
}
.choice {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.choice button {
  min-height: 38px;
  padding: 0 12px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--card);
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}
.choice button[aria-pressed="true"] {
  border-color: var(--fjord);
  background: var(--fjord-wash);
}
@media (max-width: 760px) {
  .heads {
    display: none;
  }
  .grid {
    grid-template-columns: 26px minmax(0, 1fr) minmax(0, 1fr) 56px;
  }
  .cell:nth-of-type(1) {
    grid-column: 2 / 4;
  }
  .cell:nth-of-type(2),
  .cell:nth-of-type(4) {
    grid-column: 2;
  }
  .cell .what {
    display: block;
    font-size: 14px;
    color: var(--soft);
  }
  .drop-line,
  .back {
    grid-row: 1;
    grid-column: 4;
  }
  .ask {
    margin-left: 34px;
  }
}
</style>
