<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { RetestLine, RetestRule } from "@/api/types";
import { dayName, dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import DateField from "@/components/fields/DateField.vue";
import FailureNote from "./FailureNote.vue";

/** When again: pick a rule, see the dates, keep it. */
const props = defineProps<{
  protocol: string;
  from: string;
  kept: RetestLine[];
  weeks?: number | null;
  person?: string;
  /** For everybody of a group, by the visit of the group. */
  groupVisit?: string;
}>();
/** For how many it was planned. */
const planned = ref<number | null>(null);
const emit = defineEmits<{ kept: [] }>();

const choice = ref<
  "every_weeks" | "weeks4812" | "programme" | "season" | "training_weeks" | "first_of_month" | "every_three_months" | "once"
>("every_weeks");
const weeks = ref(String(props.weeks ?? 8));
const on = ref("");
const begins = ref("");
const season = ref({ begins: "", ends: "" });
const training = ref("8");
/** Matches and hard sessions: every week on these days, and on single ones. */
const weekdays = ref<number[]>([]);
const single = ref("");
const hard_days = computed(() => ({ weekdays: weekdays.value, dates: single.value ? [single.value] : [] }));
const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const editing = ref(props.kept.length === 0);
const rule = computed<RetestRule | null>(() => {
  if (choice.value === "every_weeks") return /^\d+$/.test(weeks.value) ? { rule: "every_weeks", weeks: Number(weeks.value) } : null;
  if (choice.value === "once") return on.value ? { rule: "once", on: on.value } : null;
  if (choice.value === "programme") return begins.value ? { rule: "programme", begins: begins.value } : null;
  if (choice.value === "season") return season.value.begins && season.value.ends ? { rule: "season", ...season.value } : null;
  if (choice.value === "training_weeks")
    return /^\d+$/.test(training.value) ? { rule: "training_weeks", weeks: Number(training.value) } : null;
  return { rule: choice.value };
});
const dates = ref<{ on: string; spoken: string; moved_from?: string | null }[]>([]);
const looking = useAction();
const keeping = useAction();
watch(
  [rule, hard_days],
  async ([r]) => {
    if (!r) return (dates.value = []);
    const seen = await looking.run(() =>
      take(api.POST("/api/retests/preview", { body: { rule: r, from: props.from, hard_days: hard_days.value } })),
    );
    dates.value = seen?.dates ?? [];
  },
  { immediate: true },
);
async function keep() {
  if (!rule.value) return;
  const body = { protocol: props.protocol, rule: rule.value, from: props.from, hard_days: hard_days.value };
  if (props.groupVisit) {
    const path = { id: props.groupVisit };
    const all = await keeping.run(() => take(api.POST("/api/group-visits/{id}/retests", { params: { path }, body })));
    planned.value = all?.people ?? null;
    return;
  }
  const lines = await keeping.run(() => take(api.POST("/api/people/{id}/retests", { params: { path: { id: props.person! } }, body })));
  if (!lines) return;
  editing.value = false;
  emit("kept");
}
</script>

<template>
  <div class="box">
    <h2>When again?</h2>
    <template v-if="!editing && kept.length">
      <p class="due">{{ dayName(kept[0]!.due_on) }}</p>
      <p>
        {{ kept[0]!.spoken }} · {{ kept[0]!.rule }}<template v-if="kept.length > 1"> · then {{ dayYear(kept[1]!.due_on) }}</template>
      </p>
      <ElButton @click="editing = true">Change the rule</ElButton>
    </template>
    <p v-else-if="planned !== null" role="status">Planned for {{ planned }} people. Each has it under Retests.</p>
    <form v-else @submit.prevent="keep">
      <div class="rules" role="radiogroup" aria-label="Rule">
        <label>
          <input v-model="choice" type="radio" name="rule" value="every_weeks" />
          <span
            >every
            <input v-model="weeks" class="num weeks" inputmode="numeric" aria-label="Weeks" @input="choice = 'every_weeks'" /> weeks</span
          >
        </label>
        <label><input v-model="choice" type="radio" name="rule" value="weeks4812" /> <span>weeks 4, 8 and 12</span></label>
        <label>
          <input v-model="choice" type="radio" name="rule" value="programme" />
          <span>weeks 0, 4, 8, 12 from <DateField v-model="begins" aria-label="Programme begins" @input="choice = 'programme'" /></span>
        </label>
        <label>
          <input v-model="choice" type="radio" name="rule" value="season" />
          <span
            >season <DateField v-model="season.begins" aria-label="Season begins" @input="choice = 'season'" /> to
            <DateField v-model="season.ends" aria-label="Season ends" @input="choice = 'season'"
          /></span>
        </label>
        <label>
          <input v-model="choice" type="radio" name="rule" value="training_weeks" />
          <span
            >each week for
            <input
              v-model="training"
              class="num weeks"
              inputmode="numeric"
              aria-label="Training weeks"
              @input="choice = 'training_weeks'"
            />
            weeks</span
          >
        </label>
        <label><input v-model="choice" type="radio" name="rule" value="first_of_month" /> <span>first of each month</span></label>
        <label><input v-model="choice" type="radio" name="rule" value="every_three_months" /> <span>every 3 months</span></label>
        <label>
          <input v-model="choice" type="radio" name="rule" value="once" />
          <span>once, on <DateField v-model="on" aria-label="Day" @input="choice = 'once'" /></span>
        </label>
      </div>
      <details class="hard">
        <summary>Matches and hard sessions</summary>
        <p class="soft">No test on such a day or on the day after it.</p>
        <div class="days">
          <label v-for="(name, k) in DAYS" :key="name"><input v-model="weekdays" type="checkbox" :value="k + 1" /> {{ name }}</label>
        </div>
        <div class="single">and on <DateField v-model="single" aria-label="A match on" /></div>
      </details>
      <FailureNote :failure="looking.failure.value ?? keeping.failure.value" />
      <ol v-if="dates.length" class="dates">
        <li v-for="d in dates.slice(0, 4)" :key="d.on">
          {{ dayName(d.on) }}
          <span class="soft"
            >{{ d.spoken }}<template v-if="d.moved_from">, not {{ dayName(d.moved_from) }}</template></span
          >
        </li>
        <li v-if="dates.length > 4" class="soft">and {{ dates.length - 4 }} more within a year</li>
      </ol>
      <div class="actions">
        <ElButton type="primary" native-type="submit" :disabled="!dates.length" :loading="keeping.busy.value">Save dates</ElButton>
        <ElButton v-if="kept.length" @click="editing = false">Cancel</ElButton>
      </div>
    </form>
  </div>
</template>

<style scoped>
.rules {
  display: grid;
  gap: 6px;
  margin-bottom: 10px;
}
.rules label,
.rules span {
  display: flex;
  gap: 8px;
}
/* What does not fit beside the words stands below them, not below the mark. */
.rules span {
  flex: 1;
  flex-wrap: wrap;
  align-items: center;
  min-height: 38px;
}
.rules input[type="radio"] {
  margin: 9px 0 0;
}
input[type="radio"] {
  flex: none;
  width: 20px;
  height: 20px;
  accent-color: var(--fjord);
}
.weeks {
  font: inherit;
  padding: 4px 8px;
  border: 1px solid var(--el-border-color);
  border-radius: 6px;
  background: var(--card);
  color: var(--ink);
}
.weeks {
  width: 52px;
  text-align: center;
}
.hard summary {
  cursor: pointer;
  min-height: 36px;
  color: var(--fjord);
}
.days {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.days label,
.single {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  min-height: 36px;
}
.dates {
  margin: 0 0 12px;
  padding-left: 0;
  list-style: none;
}
.due {
  font-size: 25px;
  font-weight: 650;
  line-height: 1.2;
  margin: 0;
}
</style>
