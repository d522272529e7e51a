<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { RetestLine, RetestRule } from "@/api/types";
import { dayName, dayYear } from "@/composables/dates";
import { useAction } from "@/composables/useAction";
import FailureNote from "./FailureNote.vue";

/** When again: pick a rule, see the dates, keep it. */
const props = defineProps<{ person: string; protocol: string; from: string; kept: RetestLine[]; weeks?: number | null }>();
const emit = defineEmits<{ kept: [] }>();

const choice = ref<"every_weeks" | "weeks4812" | "first_of_month" | "every_three_months" | "once">("every_weeks");
const weeks = ref(String(props.weeks ?? 8));
const on = ref("");
const editing = ref(props.kept.length === 0);
const rule = computed<RetestRule | null>(() => {
  if (choice.value === "every_weeks") return /^\d+$/.test(weeks.value) ? { rule: "every_weeks", weeks: Number(weeks.value) } : null;
  if (choice.value === "once") return on.value ? { rule: "once", on: on.value } : null;
  return { rule: choice.value };
});
const dates = ref<{ on: string; spoken: string }[]>([]);
const looking = useAction();
const keeping = useAction();
watch(
  rule,
  async (r) => {
    if (!r) return (dates.value = []);
    const seen = await looking.run(() => take(api.POST("/api/retests/preview", { body: { rule: r, from: props.from } })));
    dates.value = seen?.dates ?? [];
  },
  { immediate: true },
);
async function keep() {
  if (!rule.value) return;
  const body = { protocol: props.protocol, rule: rule.value, from: props.from };
  const lines = await keeping.run(() => take(api.POST("/api/people/{id}/retests", { params: { path: { id: props.person } }, body })));
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
    <form v-else @submit.prevent="keep">
      <div class="rules" role="radiogroup" aria-label="Rule">
        <label
          ><input v-model="choice" type="radio" name="rule" value="every_weeks" /> every
          <input v-model="weeks" class="num weeks" inputmode="numeric" aria-label="Weeks" @input="choice = 'every_weeks'" /> weeks</label
        >
        <label><input v-model="choice" type="radio" name="rule" value="weeks4812" /> weeks 4, 8 and 12</label>
        <label><input v-model="choice" type="radio" name="rule" value="first_of_month" /> first of each month</label>
        <label><input v-model="choice" type="radio" name="rule" value="every_three_months" /> every 3 months</label>
        <label
          ><input v-model="choice" type="radio" name="rule" value="once" /> once, on
          <input v-model="on" type="date" aria-label="Day" @input="choice = 'once'"
        /></label>
      </div>
      <FailureNote :failure="looking.failure.value ?? keeping.failure.value" />
      <ol v-if="dates.length" class="dates">
        <li v-for="d in dates.slice(0, 4)" :key="d.on">
          {{ dayName(d.on) }} <span class="soft">{{ d.spoken }}</span>
        </li>
        <li v-if="dates.length > 4" class="soft">and {{ dates.length - 4 }} more within a year</li>
      </ol>
      <div class="actions">
        <ElButton type="primary" native-type="submit" :disabled="!dates.length" :loading="keeping.busy.value">Keep these dates</ElButton>
        <ElButton v-if="kept.length" @click="editing = false">Leave it</ElButton>
      </div>
    </form>
  </div>
</template>

<style scoped>
.rules {
  display: grid;
  gap: 2px;
  margin-bottom: 10px;
}
.rules label {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 38px;
}
input[type="radio"] {
  width: 20px;
  height: 20px;
  accent-color: var(--fjord);
}
.weeks,
input[type="date"] {
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
