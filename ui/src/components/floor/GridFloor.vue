<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import type { Floor } from "@/floor/useFloor";
import { useMany } from "@/floor/useMany";
import { minutes } from "@/logic/dates";
import { sentence } from "@/logic/sheet";
import { hasSign, withoutSign } from "@/logic/signs";
import { askedOnce } from "@/logic/askedOnce";
import { shownUnit, type Units } from "@/logic/units";
import { useRun } from "@/stores/run";

/** Names × tries of many at one station: number, value, Enter; who is up, who comes next, best at once. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: [] }>();
const run = useRun();
const grid = computed(() => run.view!.grid!);
const { known, people: all, wears, onItsWay, said, say, undo } = useMany();
const people = computed(() => all.value.map((p) => ({ ...p, line: grid.value.lines.find((l) => l.slot === p.slot)! })));
const started = computed(() => run.startedAt !== null);
/** The clock of a test against time: its phase and what is left of it. */
const clock = computed(() => {
  const phase = props.floor.phase.value;
  if (!started.value || phase?.end_ms == null) return "";
  return `${phase.label}: ${minutes(Math.max(0, phase.end_ms - props.floor.ms.value) + 999)}`;
});
const chosen = ref<number | null>(null);
const queue = computed(() => [
  ...grid.value.up.filter((s) => !onItsWay.value.has(s)),
  ...grid.value.up.filter((s) => onItsWay.value.has(s)),
]);
const up = computed(() => chosen.value ?? queue.value[0] ?? null);
const person = computed(() => people.value.find((p) => p.slot === up.value) ?? null);
const after = computed(() =>
  queue.value
    .filter((s) => s !== up.value)
    .slice(0, 2)
    .flatMap((s) => people.value.find((p) => p.slot === s) ?? []),
);
/** The column that is filled now: the next one of this person. */
const at = computed(() => person.value?.line.next ?? null);
const column = computed(() => (at.value === null ? null : (grid.value.columns[at.value] ?? null)));
const units = computed(() => person.value?.line.units ?? "metric");
const unit = computed(() => (column.value ? shownUnit(column.value.unit, units.value) : ""));
/** The units of the headings: everybody's. Where they differ metric, and a value in another one says so itself. */
const headed = computed<Units>(() => (people.value.every((p) => p.line.units === "imperial") ? "imperial" : "metric"));
const besideValue = (own: string, theirs: Units) => {
  const said = shownUnit(own, theirs);
  return said === shownUnit(own, headed.value) ? "" : said;
};
const done = computed(() => people.value.filter((p) => p.line.complete).length);
const none = computed(() => people.value.filter((p) => p.line.cells.every((c) => !c.length)).length);

const number = ref("");
const value = ref("");
const wrong = ref<string | null>(null);
const numberField = useTemplateRef<HTMLInputElement>("no");
const valueField = useTemplateRef<HTMLInputElement>("val");
async function back() {
  [chosen.value, number.value, value.value] = [null, "", ""];
  meant = null;
  await nextTick();
  numberField.value?.focus();
}
watch(
  () => started.value && numberField.value,
  (field) => field && field.focus(),
  { flush: "post" },
);
const full = () => `${person.value?.name ?? "Everybody"} has no tries left. Press one to strike it.`;
/** Enter in the number: whose value it is; an empty one is whoever is up. */
async function whose() {
  wrong.value = null;
  const text = number.value.trim();
  if (text) {
    const found = wears(text);
    if (!found) return void (wrong.value = `Nobody here wears number ${text}.`);
    chosen.value = found.slot;
  } else chosen.value = up.value;
  if (chosen.value === null || (person.value?.line.next == null && !onItsWay.value.has(chosen.value))) return void (wrong.value = full());
  await nextTick();
  valueField.value?.focus();
}
/** An unusual value that was asked about once. */
let meant: string | null = null;
async function keep(sign: 1 | -1 = 1, made = true) {
  const to = person.value;
  if (!to) return;
  // Which reading it is is known once the one before it has arrived.
  await onItsWay.value.get(to.slot);
  const of = column.value;
  if (!of) return void (wrong.value = full());
  const text = value.value.trim();
  if (!text) return;
  if (of.signs && hasSign(text)) return void (wrong.value = withoutSign(of.signs));
  const read = askedOnce(text, of, units.value, sign, meant);
  if ("wrong" in read) {
    wrong.value = read.wrong;
    if (!read.asked) return;
    meant = text;
    return void valueField.value?.select();
  }
  wrong.value = null;
  if (of.lift)
    await say({ kind: "lifted", load_kg: read.value, made }, to.slot, `${to.name}: ${text} ${unit.value}${made ? "" : " missed"}`);
  else
    await say(
      { kind: "taken", input: of.input, side: of.side ?? undefined, value: read.value },
      to.slot,
      `${to.name}: ${text} ${unit.value}`,
    );
  await back();
}
async function enter() {
  if (person.value) await onItsWay.value.get(person.value.slot);
  if (column.value?.lift) return void (wrong.value = "Made or missed? Press M or X.");
  const signs = column.value?.signs;
  if (!signs) return keep();
  if (!signs.plus) return keep(-1);
  wrong.value = `${sentence(signs.minus)} or ${signs.plus}? Press one of the two.`;
}

function pass() {
  const [to, of] = [person.value, column.value];
  if (!to || !of) return;
  void say({ kind: "passed", input: of.input, side: of.side ?? undefined }, to.slot, `${to.name} passed`);
  void back();
}
function last() {
  if (!person.value) return;
  void say({ kind: "put_last" }, person.value.slot, `${person.value.name} goes last`);
  void back();
}
function strike(slot: number, k: number, nth: number) {
  const of = grid.value.columns[k]!;
  const name = people.value.find((p) => p.slot === slot)!.name;
  void say({ kind: "struck", input: of.input, side: of.side ?? undefined, attempt: nth + 1 }, slot, `${name}: a try struck`);
}
const left = computed(() => people.value.filter((p) => !p.line.complete));
const saves = computed(() => (left.value.length ? `Save ${done.value}, leave ${left.value.length} open` : "Save all results"));
const asking = ref(false);
/** Asks first where something is open. The second of a double press is no answer. */
function finish(press: MouseEvent) {
  if (press.detail > 1) return;
  if (left.value.length && !asking.value) return void (asking.value = true);
  emit("finish");
}
/** Measures of a test, each on a line of its own. */
const inParts = (all?: string | null) => (all ?? "").split(" · ");
onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (!started.value || !known.value || event.ctrlKey || event.metaKey || event.altKey || target.closest("button, a, textarea")) return;
  const key = event.key.toLowerCase();
  if (key === "u") void undo();
  else if (column.value?.lift && (key === "m" || key === "x") && value.value.trim()) void keep(1, key === "m");
  else if (column.value?.lift && key === "x") return;
  else if (key === "p") pass();
  else if (key === "l") last();
  else if (key === "x" && person.value) {
    const k = person.value.line.cells.findLastIndex((c) => c.length > 0);
    if (k >= 0) strike(person.value.slot, k, person.value.line.cells[k]!.length - 1);
  } else return;
  event.preventDefault();
});
</script>

<template>
  <main class="grid-floor">
    <section class="left">
      <slot v-if="!started" name="start" />
      <table>
        <thead>
          <tr>
            <th>No.</th>
            <th>Name</th>
            <th v-for="c in grid.columns" :key="c.input + c.side">
              {{ c.label }}<small v-if="c.unit">{{ shownUnit(c.unit, headed) }}</small>
            </th>
            <th>Best</th>
            <th>Last time</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in people" :key="p.slot" :class="{ up: started && p.slot === up, complete: p.line.next == null }">
            <td class="num no">{{ p.number }}</td>
            <th scope="row">
              <button type="button" class="name" :disabled="!started || closed" @click="((number = String(p.number)), whose())">
                {{ p.name }}
              </button>
            </th>
            <td v-for="(cells, k) in p.line.cells" :key="k" class="num cells">
              <button
                v-for="(cell, nth) in cells"
                :key="nth"
                type="button"
                class="cell"
                :class="{ struck: !cell.counts }"
                :disabled="closed || cell.value == null || grid.columns[k]!.lift"
                :aria-label="`${p.name}, ${grid.columns[k]!.label}, try ${nth + 1}: ${cell.value == null ? 'passed' : cell.shown}${cell.counts || cell.value == null ? '' : ', struck'}`"
                @click="strike(p.slot, k, nth)"
              >
                {{ cell.shown }}<small v-if="cell.value != null">{{ besideValue(grid.columns[k]!.unit, p.line.units) }}</small>
              </button>
            </td>
            <td class="num best" :class="{ better: p.line.better }">
              <span v-for="(one, k) in inParts(p.line.best)" :key="k" class="part">{{ one }}</span>
            </td>
            <td class="soft">
              <template v-if="p.line.better">better than </template>
              <span v-for="(one, k) in inParts(p.line.last ?? 'first time')" :key="k" class="part">{{ one }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <slot name="below" />
    </section>
    <section class="side">
      <p v-if="clock" class="who num" role="timer">{{ clock }}</p>
      <template v-if="started && person">
        <h2>Up</h2>
        <p class="who">
          <b class="num">{{ person.number }}</b> {{ person.name }}
        </p>
        <p v-if="person.line.advised" class="soft">advised: {{ person.line.advised }}</p>
        <p class="soft">{{ person.line.last ? `last time ${person.line.last}` : "first time" }}</p>
      </template>
      <p v-else-if="started" class="who">All tries are done.</p>
      <template v-if="started && after.length">
        <h2>Next</h2>
        <p>{{ after.map((p) => `${p.number} ${p.name}`).join(" · then ") }}</p>
      </template>
      <template v-if="started">
        <h2>To do</h2>
        <p class="soft">{{ none ? `${none} of ${people.length} have no try yet` : "Everybody has a try." }}</p>
        <p class="soft help">Press a try that does not count. It stays, crossed out.</p>
      </template>
      <p v-if="run.refused" class="wrong" role="alert">{{ run.refused.message }}</p>
    </section>
  </main>
  <footer class="foot">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <template v-if="started && known && !closed && !asking">
      <form class="entry" @submit.prevent="whose">
        <label for="grid-no">No.</label>
        <input
          id="grid-no"
          ref="no"
          v-model="number"
          @input="wrong = null"
          class="num no"
          inputmode="numeric"
          maxlength="4"
          autocomplete="off"
          :placeholder="String(person?.number ?? '')"
        />
      </form>
      <form class="entry" :class="{ due: chosen !== null }" @submit.prevent="enter">
        <label for="grid-value">{{ column?.label ?? "Value" }}</label>
        <input
          id="grid-value"
          ref="val"
          v-model="value"
          class="num"
          @input="wrong = null"
          autocomplete="off"
          maxlength="12"
          @focus="chosen ??= up"
        />
        <span v-if="unit" class="unit">{{ unit }}</span>
      </form>
      <template v-if="column?.lift">
        <button type="button" :class="{ main: value.trim() }" @click="keep(1, true)">Made <kbd>M</kbd></button>
        <button type="button" @click="keep(1, false)">Missed <kbd>X</kbd></button>
      </template>
      <template v-if="column?.signs">
        <button type="button" :class="{ main: value.trim() }" @click="keep(-1)">{{ sentence(column.signs.minus) }}</button>
        <button v-if="column.signs.plus" type="button" :class="{ main: value.trim() }" @click="keep(1)">
          {{ sentence(column.signs.plus) }}
        </button>
      </template>
    </template>
    <div class="choices pairs">
      <template v-if="started && !closed">
        <template v-if="asking">
          <span>No result yet: {{ left.map((p) => p.name).join(", ") }}. Their test stays open in their own visit.</span>
          <button type="button" @click="asking = false">Go on</button>
        </template>
        <template v-else>
          <button type="button" class="quiet" :disabled="!column" @click="pass">Pass <kbd>P</kbd></button>
          <button type="button" class="quiet" :disabled="!person" @click="last">Go last <kbd>L</kbd></button>
          <button v-if="said.length" type="button" class="quiet" @click="undo">Undo {{ said.at(-1)!.what }} <kbd>U</kbd></button>
        </template>
        <button v-if="done" type="button" :class="{ main: asking || !left.length }" :disabled="finishing" @click="finish">
          {{ saves }}
        </button>
      </template>
    </div>
  </footer>
</template>

<style scoped>
.grid-floor {
  grid-template-columns: minmax(0, 1fr) 270px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
td,
th {
  text-align: left;
  font-weight: 400;
  padding: 3px 12px 3px 0;
  border-bottom: 1px solid var(--line);
  height: 50px;
}
thead th {
  height: 34px;
  color: var(--soft);
  font-size: 16px;
  line-height: 1.25;
  vertical-align: bottom;
}
thead small {
  margin-left: 6px;
}
.cell small {
  margin-left: 4px;
}
.no {
  width: 52px;
  font-size: 20px;
  font-weight: 600;
  padding-left: 10px;
}
.floor button.name {
  border: 0;
  padding: 0;
  font-weight: 400;
  font-size: 18px;
  opacity: 1;
  text-align: left;
}
tr.up {
  background: var(--band);
}
tr.up .name {
  font-weight: 650;
}
tr.complete .name {
  color: var(--soft);
}
.cells {
  white-space: nowrap;
}
.floor button.cell {
  border: 0;
  min-height: 44px;
  padding: 0 8px;
  font: 500 19px var(--num);
  opacity: 1;
}
.floor button.cell.struck {
  text-decoration: line-through;
  color: var(--soft);
}
.best {
  font-weight: 700;
  font-size: 19px;
  white-space: nowrap;
}
.part {
  display: block;
  white-space: nowrap;
}
.best.better {
  color: var(--fjord);
}
.side h2 {
  margin: 8px 0 0;
  font-size: 16px;
  color: var(--soft);
}
.side p {
  margin: 0;
}
.who {
  font-size: 26px;
  font-weight: 600;
}
.entry input.no {
  width: 64px;
}
.floor button.name {
  white-space: nowrap;
}
/* On a phone who is up stands first. */
@media (max-width: 900px) {
  .grid-floor {
    grid-template-columns: minmax(0, 1fr);
  }
  .grid-floor .side {
    order: -1;
    gap: 2px;
  }
  .side .help {
    display: none;
  }
  .grid-floor .left {
    overflow-x: auto;
  }
}
</style>
