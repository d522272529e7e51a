<script setup lang="ts">
import { computed, ref } from "vue";
import type { Condition, RollLine } from "@/api/types";
import ConditionField from "@/components/fields/ConditionField.vue";
import { dayBrief } from "@/logic/dates";
import { answers, given, type Given } from "@/logic/conditions";

/** Somebody on the roll: whether they are here, whether they may be tested, how far they are, what is their own. */
const props = defineProps<{
  line: RollLine;
  tests: number;
  closed: boolean;
  busy: boolean;
  differs: Condition[];
  visit: string;
  wrong: string | null;
}>();
const emit = defineEmits<{
  call: [presence: "here" | "absent" | "not_testing", reason: string];
  asBefore: [];
  admit: [reason: string];
  own: [conditions: ReturnType<typeof answers>];
}>();
const choices = [
  ["here", "Here"],
  ["absent", "Absent"],
  ["not_testing", "Not testing"],
] as const;
/** Not testing needs its reason first. */
const why = ref<string | null>(null);
const reason = ref("");
function choose(presence: (typeof choices)[number][0]) {
  if (presence === "not_testing") why.value = props.line.reason ?? "";
  else emit("call", presence, "");
}
function notTesting() {
  if (!why.value?.trim()) return;
  emit("call", "not_testing", why.value);
  why.value = null;
}
const tone = computed(() => {
  const r = props.line.readiness;
  if (!r.asked) return "open";
  return r.stopped || r.permit === "do_not_test" || r.permit === "clearance_first" ? "stop" : r.against.length ? "care" : "go";
});
const words = computed(() => {
  const r = props.line.readiness;
  if (!r.asked) return "not asked";
  if (r.permit !== "go") return r.headline;
  if (r.stopped) return "stopped today";
  if (r.against.length) return r.reason ? "tested with a reason" : "not every test";
  return "ready";
});
const editing = ref(false);
const own = ref<Given>({});
function edit() {
  own.value = given(props.line.set_up, props.differs);
  editing.value = !editing.value;
}
function keep() {
  emit("own", answers(props.differs, own.value));
  editing.value = false;
}
</script>

<template>
  <tr :class="line.presence ?? 'uncalled'">
    <td class="num no">{{ line.number ?? "" }}</td>
    <th scope="row">
      <RouterLink :to="`/people/${line.person}`">{{ line.name }}</RouterLink>
      <small v-if="line.playing_group || line.heat" class="soft">{{
        [line.playing_group, line.heat && `heat ${line.heat}`].filter(Boolean).join(" · ")
      }}</small>
      <button
        v-if="line.member && differs.length && !closed && line.presence === 'here'"
        type="button"
        class="linklike small no-print"
        :aria-label="`What differs for ${line.name}`"
        @click="edit"
      >
        differs
      </button>
      <small v-for="d in line.differs" :key="d.label" class="soft">{{ d.label.toLowerCase() }}: {{ d.value }}</small>
    </th>
    <td class="presence">
      <div v-if="!closed" class="choices" role="group" :aria-label="`Presence of ${line.name}`">
        <button
          v-for="[key, words] in choices"
          :key="key"
          type="button"
          :aria-pressed="line.presence === key"
          :disabled="busy || (line.done > 0 && key !== 'here')"
          @click="choose(key)"
        >
          {{ words }}
        </button>
      </div>
      <span v-else>{{ choices.find(([k]) => k === line.presence)?.[1] ?? "not called" }}</span>
      <form v-if="why !== null" class="why" @submit.prevent="notTesting">
        <input v-model="why" class="native" maxlength="1000" :aria-label="`Why ${line.name} is not tested`" placeholder="Why?" />
        <button type="submit" class="linklike" :disabled="!why.trim()">Save</button>
        <button type="button" class="linklike" @click="why = null">Cancel</button>
      </form>
      <small v-else-if="line.reason" class="soft">{{ line.reason }}</small>
      <small v-if="wrong" class="wrong" role="alert">{{ wrong }}</small>
    </td>
    <td class="ready" :class="tone">
      <template v-if="line.presence === 'here'">
        <template v-if="!line.readiness.asked && !closed">
          <b>{{ words }}</b>
          <span class="links no-print">
            <button v-if="line.readiness.may_repeat" type="button" class="linklike" :disabled="busy" @click="emit('asBefore')">
              as on {{ dayBrief(line.readiness.last_on!) }}
            </button>
            <RouterLink :to="{ path: `/people/${line.person}/readiness`, query: { then: `/group-visits/${visit}` } }">ask</RouterLink>
          </span>
        </template>
        <template v-else>
          <b>{{ words }}</b>
          <span v-for="a in line.readiness.against" :key="a.because" class="against"
            ><template v-if="a.tests.length < tests">{{ a.tests.join(" · ") }}: </template>{{ a.because }}</span
          >
          <RouterLink
            v-if="!closed"
            class="no-print small"
            :to="{ path: `/people/${line.person}/readiness`, query: { then: `/group-visits/${visit}` } }"
            >ask again</RouterLink
          >
          <span v-if="line.readiness.reason" class="soft">Reason: {{ line.readiness.reason }}</span>
          <form
            v-else-if="line.readiness.against.length && !line.readiness.stopped && !closed"
            class="why no-print"
            @submit.prevent="emit('admit', reason)"
          >
            <input
              v-model="reason"
              class="native"
              maxlength="1000"
              :aria-label="`Why ${line.name} is tested all the same`"
              placeholder="Your reason"
            />
            <button type="submit" class="linklike" :disabled="!reason.trim() || busy">Test all the same</button>
          </form>
        </template>
      </template>
    </td>
    <td class="num done">
      <template v-if="line.visit">
        <RouterLink :to="`/visits/${line.visit}${closed || line.done === tests ? '' : '/floor'}`"
          >{{ line.done }} of {{ tests }}</RouterLink
        >
      </template>
    </td>
  </tr>
  <tr v-if="editing" class="own">
    <td></td>
    <td colspan="4">
      <p class="soft">Only for {{ line.name }}, in every group visit. Leave the rest empty: there the answers for everybody count.</p>
      <ConditionField v-for="c in differs" :key="c.key" v-model="own[c.key]" :condition="c" />
      <div class="actions">
        <ElButton type="primary" :loading="busy" @click="keep">Save</ElButton>
        <ElButton @click="own = {}">Nothing differs</ElButton>
        <button type="button" class="linklike" @click="editing = false">Cancel</button>
      </div>
    </td>
  </tr>
</template>

<style scoped>
td,
th {
  padding: 9px 10px 9px 0;
  border-top: 1px solid var(--line);
  vertical-align: top;
  text-align: left;
  font-weight: 400;
}
.no {
  width: 44px;
  font-weight: 600;
  padding-top: 14px;
}
th {
  padding-top: 13px;
}
th a {
  white-space: nowrap;
  font-weight: 600;
  color: var(--ink);
}
small {
  display: block;
  font-size: 15px;
}
.choices {
  display: inline-flex;
  border: 1px solid var(--el-border-color);
  border-radius: 8px;
  overflow: hidden;
}
.choices button {
  font: inherit;
  white-space: nowrap;
  border: 0;
  background: var(--card);
  color: var(--ink);
  padding: 0 10px;
  min-height: 42px;
  cursor: pointer;
}
.choices button + button {
  border-left: 1px solid var(--el-border-color);
}
.choices button[aria-pressed="true"] {
  background: var(--fjord);
  color: #fff;
  font-weight: 600;
}
.choices button:disabled {
  opacity: 0.55;
  cursor: default;
}
.why {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-top: 6px;
  flex-wrap: wrap;
}
.why input {
  flex: 1 1 120px;
  min-width: 0;
}
.why .linklike {
  margin-left: 0;
}
.ready b {
  font-weight: 600;
  margin-right: 12px;
  display: inline-block;
  padding-top: 9px;
}
.ready.go b {
  color: var(--soft);
  font-weight: 400;
}
.ready.care b,
.ready.open b {
  color: var(--ochre);
}
.ready.stop {
  padding-left: 10px;
}
.ready.stop b {
  color: var(--madder);
}
.against {
  display: block;
  font-size: 15px;
}
.links {
  display: inline-flex;
  gap: 14px;
  white-space: nowrap;
  align-items: baseline;
}
.links .linklike,
.small {
  padding: 0;
}
.small {
  font-size: 15px;
  min-height: 0;
}
th small,
th .linklike {
  display: inline-block;
  margin-right: 10px;
}
th a {
  display: block;
}
.done {
  padding-top: 13px;
  white-space: nowrap;
}
tr.absent th a,
tr.not_testing th a {
  color: var(--soft);
}
.own td {
  border-top: 0;
  padding-bottom: 18px;
}
@media (max-width: 820px) {
  tr {
    display: grid;
    grid-template-columns: 40px minmax(0, 1fr) auto;
    border-top: 1px solid var(--line);
    padding: 8px 0;
  }
  td,
  th {
    border: 0;
    padding: 4px 0;
  }
  .presence,
  .ready,
  .own td {
    grid-column: 2 / -1;
  }
  .done {
    grid-column: 3;
    grid-row: 1;
  }
}
</style>
