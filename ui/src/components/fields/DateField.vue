<script setup lang="ts">
import { computed, nextTick, ref, useId, watch } from "vue";
import { onClickOutside } from "@vueuse/core";
import { dayYear } from "@/logic/dates";
import { dayExample, daysOn, isoDay, noDay, readDay, weeksOf, writtenDay } from "@/logic/day";
import { useSession } from "@/stores/session";

/** A day, typed in the practice's order or picked. The model is `2026-12-03`, or empty; what is no date stays in the field. */
defineOptions({ inheritAttrs: false });
const props = defineProps<{ label?: string; readonly?: boolean; wrong?: string | null }>();
const model = defineModel<string>({ required: true });
const emit = defineEmits<{ input: [] }>();

const session = useSession();
const monthFirst = computed(() => session.info?.month_first ?? false);
const today = computed(() => session.info?.today ?? new Date().toISOString().slice(0, 10));
const text = ref(writtenDay(model.value));
const field = ref<HTMLInputElement>();
/** What is wrong with the text; the form's own word about the day is `props.wrong`. */
const unread = ref("");
const said = computed(() => unread.value || props.wrong);
const id = useId();
const hint = useId();
/** What this field itself last gave: it is not written over while it is typed. */
let given = model.value;
watch(model, (day) => {
  if (day === given) return;
  given = day;
  text.value = writtenDay(day);
  judge(day, true);
});

/** Tells the form, so that it is not sent with a date that is none; the words stand below once the field is left. */
function judge(day: string, left: boolean) {
  const bad = text.value.trim() !== "" && !day ? noDay(monthFirst.value) : "";
  field.value?.setCustomValidity(bad);
  if (left || !bad) unread.value = bad;
}
function typed() {
  const day = readDay(text.value, monthFirst.value, today.value) ?? "";
  judge(day, false);
  give(day);
}
function give(day: string) {
  given = day;
  model.value = day;
  emit("input");
}
function leave() {
  judge(model.value, true);
  if (model.value) text.value = writtenDay(model.value);
}

const open = ref(false);
const box = ref<HTMLElement>();
const month = ref({ year: 2026, month: 1 });
const at = ref("");
const title = computed(() =>
  new Intl.DateTimeFormat("en-GB", { month: "long", year: "numeric" }).format(new Date(month.value.year, month.value.month - 1, 15)),
);
const weeks = computed(() => weeksOf(month.value.year, month.value.month));
function show(day: string) {
  at.value = day;
  month.value = { year: Number(day.slice(0, 4)), month: Number(day.slice(5, 7)) };
}
async function toggle() {
  open.value = !open.value;
  if (!open.value) return;
  show(model.value || today.value);
  await focusDay();
}
async function focusDay() {
  await nextTick();
  box.value?.querySelector<HTMLElement>(`[data-day="${at.value}"]`)?.focus();
}
/** The same day of another month, or the last one there is. */
function months(by: number) {
  const all = month.value.year * 12 + month.value.month - 1 + by;
  const [year, next] = [Math.floor(all / 12), (all % 12) + 1];
  if (year < 1900 || year > 2100) return;
  let day = Number(at.value.slice(8, 10));
  while (!isoDay(year, next, day)) day--;
  show(isoDay(year, next, day)!);
}
const STEPS: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 };
function key(event: KeyboardEvent) {
  if (event.key === "Escape") {
    event.stopPropagation();
    close();
  } else if (event.key in STEPS) show(daysOn(at.value, STEPS[event.key]!));
  else if (event.key === "PageUp") months(event.shiftKey ? -12 : -1);
  else if (event.key === "PageDown") months(event.shiftKey ? 12 : 1);
  else return;
  event.preventDefault();
  if (open.value) void focusDay();
}
function pick(day: string) {
  text.value = writtenDay(day);
  judge(day, true);
  give(day);
  close();
}
function close() {
  open.value = false;
  field.value?.focus();
}
onClickOutside(box, () => (open.value = false), { ignore: [".pick"] });
</script>

<template>
  <div class="day" :class="{ field: label }">
    <label v-if="label" :for="id" class="name">{{ label }}</label>
    <span class="row">
      <input
        :id="id"
        ref="field"
        v-model="text"
        v-bind="$attrs"
        class="native num"
        autocomplete="off"
        :placeholder="dayExample(monthFirst)"
        :readonly="props.readonly"
        :aria-invalid="said ? true : undefined"
        :aria-describedby="said ? hint : undefined"
        @input="typed"
        @change="leave"
        @keydown.alt.down.prevent="toggle"
      />
      <button v-if="!props.readonly" type="button" class="pick" aria-label="Pick a day" :aria-expanded="open" @click="toggle">
        <svg viewBox="0 0 20 20" aria-hidden="true"><path d="M3 5.5h14v11H3zM3 9h14M7 3v4M13 3v4" /></svg>
      </button>
      <span v-if="open" ref="box" class="month" role="dialog" aria-label="Pick a day" @keydown="key">
        <span class="head">
          <button type="button" aria-label="A year earlier" @click.prevent="months(-12)">«</button>
          <button type="button" aria-label="A month earlier" @click.prevent="months(-1)">‹</button>
          <b aria-live="polite">{{ title }}</b>
          <button type="button" aria-label="A month later" @click.prevent="months(1)">›</button>
          <button type="button" aria-label="A year later" @click.prevent="months(12)">»</button>
        </span>
        <span class="grid" aria-hidden="true"
          ><i v-for="d in ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su']" :key="d">{{ d }}</i></span
        >
        <span v-for="(week, w) in weeks" :key="w" class="grid">
          <template v-for="(day, k) in week" :key="day ?? k">
            <button
              v-if="day"
              type="button"
              :data-day="day"
              :aria-label="dayYear(day)"
              :aria-pressed="day === model"
              :class="{ today: day === today }"
              :tabindex="day === at ? 0 : -1"
              @click.prevent="pick(day)"
            >
              {{ Number(day.slice(8)) }}
            </button>
            <i v-else></i>
          </template>
        </span>
      </span>
    </span>
    <span v-if="said" :id="hint" class="wrong" role="alert">{{ said }}</span>
  </div>
</template>

<style scoped>
.day:not(.field) {
  display: inline-block;
}
.row {
  position: relative;
  display: inline-flex;
  max-width: 100%;
}
.row .native {
  width: 150px;
  min-width: 0;
  border-radius: 8px 0 0 8px;
}
.row .native[readonly] {
  border-radius: 8px;
  background: var(--paper);
}
.day > .wrong {
  display: block;
}
.pick {
  min-width: 42px;
  min-height: 44px;
  border: 1px solid var(--el-border-color);
  border-left: 0;
  border-radius: 0 8px 8px 0;
  background: var(--card);
  color: var(--soft);
  display: inline-grid;
  place-items: center;
  cursor: pointer;
}
.pick:hover {
  color: var(--ink);
}
.pick svg {
  width: 20px;
  height: 20px;
  fill: none;
  stroke: currentColor;
  stroke-width: 1.5;
}
.month {
  position: absolute;
  z-index: 20;
  top: 48px;
  left: 0;
  width: 308px;
  padding: 10px;
  border: 1px solid var(--line);
  border-radius: 10px;
  background: var(--card);
  box-shadow: 0 10px 30px rgb(20 30 40 / 18%);
  font-weight: 400;
}
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 4px;
}
.head b {
  flex: 1;
  text-align: center;
}
.grid {
  display: grid;
  grid-template-columns: repeat(7, 1fr);
}
.grid i {
  font-style: normal;
  font-size: 14px;
  color: var(--soft);
  text-align: center;
}
.month button {
  min-width: 40px;
  min-height: 38px;
  padding: 0;
  border: 1px solid transparent;
  border-radius: 8px;
  background: none;
  color: var(--ink);
  font: inherit;
  font-variant-numeric: tabular-nums;
  cursor: pointer;
}
.month button:hover {
  background: var(--paper);
}
.month .today {
  border-color: var(--line);
  font-weight: 650;
}
.month [aria-pressed="true"] {
  background: var(--fjord);
  color: var(--on-fjord);
}
</style>
