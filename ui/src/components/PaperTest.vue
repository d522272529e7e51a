<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { AssessPage, Input, ResultPage } from "@/api/types";
import BodyMap from "@/components/BodyMap.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import MassField from "@/components/fields/MassField.vue";
import ReadingField from "@/components/fields/ReadingField.vue";
import { answers, given, isSo } from "@/logic/conditions";
import type { Paper } from "@/logic/paper";
import { ofFamily, stagesOf } from "@/logic/procedure";
import { isWrong, missingSide, readings, unusual, withinLap, withUntouched } from "@/logic/readings";
import { typed } from "@/logic/typed";

/** A test from paper: its readings, its circumstances, a remark. `fixed`: circumstances that its place in a visit has set. */
const props = defineProps<{
  page: Pick<AssessPage, "protocol" | "takes" | "units" | "body_map" | "hr_max" | "mass">;
  was?: ResultPage["entry"] | null;
  failure: { field?: string | null; message: string } | null;
}>();
const draft = defineModel<Paper>({ required: true });
const local = ref<{ field: string; message: string } | null>(null);
const asked = computed(() => props.page.protocol.conditions.filter((c) => c.ask));
const byCondition = computed(() => new Set(asked.value.map((c) => c.key)));
const inputs = computed(() =>
  props.page.protocol.inputs.filter((i) => !byCondition.value.has(i.key) && !i.inverse && isSo(i.when, draft.value.given) && isTaken(i)),
);
/** What a battery names of the readings that the test can do without; a reading that was typed stays. */
function isTaken(i: Input) {
  const typedBefore = Object.keys(draft.value.values).some(
    (key) => (key === i.key || key.startsWith(`${i.key}.`)) && draft.value.values[key]?.trim(),
  );
  return typedBefore || props.page.takes.includes(i.key);
}
/** What needs more than one field takes a line of its own. */
const isWide = (i: Input) => (i.tries ?? 1) > 1 || (i.sides?.length ?? 0) > 0 || !["number", undefined].includes(i.kind);
const rule = computed(() => ofFamily(props.page.protocol.procedure, "staged_steady_state"));
const tally = computed(() => {
  const { procedure } = props.page.protocol;
  return "tally" in procedure ? procedure.tally : null;
});
const staged = computed(() => rule.value?.goal.kind === "line");
const minutesOf = computed(() => {
  if (!rule.value) return [];
  const out = [...rule.value.read_at];
  for (let m = Math.max(...out) + 1; m <= rule.value.until_minute; m++) out.push(m);
  return out;
});
const recorded = computed(() => props.page.protocol.procedure.family === "clamped_heart_rate");
/** The recording's file as it was chosen; its text goes to the server as it is. */
async function choose(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (file) draft.value.series = await file.text();
}
const lines = computed(() => draft.value.series.trim().split("\n").length - 1);
const wrong = (key: string) =>
  local.value?.field === key ? local.value.message : props.failure?.field === key ? props.failure.message : null;
/** It is meant that one side was not done: asked once. */
const oneSide = ref(false);
/** An unusual value is meant: asked once. */
const meant = ref(false);
const units = computed(() => props.page.units);
watch(
  () => draft.value.values,
  () => (oneSide.value = meant.value = false),
  { deep: true },
);
/** The input that is being filled, and how its tape lies. */
const at = ref("");
const siteOf = (key: string) => {
  const site = inputs.value.find((i) => i.key === key)?.site;
  return site ? `${site.how} Twice; more than 1 cm apart asks for a third.` : "";
};
const number = (text: string, unit = "") => typed(text, unit) ?? NaN;

/** Everything that was typed, as the server takes it; nothing where something has to be put right first. */
function read() {
  local.value = null;
  const read = readings(inputs.value, draft.value.values, draft.value.given, units.value);
  if (isWrong(read)) return refuse(read);
  const was = props.was;
  const values = was ? withUntouched(inputs.value, read, draft.value.values, was.inputs, units.value) : read;
  const conditions = answers(asked.value, draft.value.given, units.value);
  const shownBefore = given(was?.conditions ?? {}, asked.value, units.value);
  for (const key of Object.keys(conditions)) {
    const kept = was?.conditions[key];
    if (kept !== undefined && shownBefore[key] === draft.value.given[key]) conditions[key] = kept;
  }
  // A side that is missing is asked for once.
  const open = missingSide(inputs.value, values);
  if (open && !oneSide.value) {
    oneSide.value = true;
    return refuse(open);
  }
  // What is merely unusual is asked about once.
  const { rest, length } = tally.value ?? {};
  const odd = unusual(withinLap(inputs.value, rest, conditions[length ?? ""], values[rest ?? ""]), values, units.value);
  if (odd && !meant.value) {
    meant.value = true;
    return refuse({ ...odd, message: `${odd.message} Correct it, or save again to keep it.` });
  }
  const stages = [];
  for (const stage of staged.value ? draft.value.stages : []) {
    const rates = Object.entries(stage.rates).filter(([, t]) => t.trim());
    if (!stage.load.trim() && !rates.length) continue;
    const heart_rates = Object.fromEntries(rates.map(([m, t]) => [m, number(t)]));
    if ([number(stage.load), ...Object.values(heart_rates)].some(Number.isNaN))
      return refuse({ field: "stages", message: "Loads and heart rates are numbers." });
    stages.push({ load_kgm_min: number(stage.load), heart_rates });
  }
  return {
    inputs: values,
    stages,
    conditions,
    hr_max_method: draft.value.method || null,
    resting_hr: draft.value.resting ? number(draft.value.resting) : null,
    hr_max: draft.value.measured ? number(draft.value.measured) : null,
    series_csv: draft.value.series || null,
    mass: draft.value.keepMass ? "" : draft.value.mass,
    keep_mass: draft.value.keepMass,
    remark: draft.value.remark,
  };
}
function refuse(what: { field: string; message: string }) {
  local.value = what;
  return null;
}
/** The fields that show what is wrong with them. */
const known = computed(
  () =>
    new Set([
      ...asked.value.map((c) => c.key),
      ...inputs.value.map((i) => i.key),
      "stages",
      "series",
      "resting_hr",
      "hr_max",
      "hr_max_method",
      "mass",
      "remark",
    ]),
);
defineExpose({ read, known });
</script>

<template>
  <div class="two">
    <section>
      <h2>What was read</h2>
      <slot />
      <div v-if="recorded" class="field">
        <span class="name">Recording of the ride</span>
        <label class="file"
          >{{ draft.series ? "Choose another file" : "Choose the file"
          }}<input
            type="file"
            aria-label="Recording of the ride"
            accept=".csv,text/csv,text/plain"
            aria-describedby="recording-hint"
            @change="choose"
        /></label>
        <p id="recording-hint" class="hint">
          A CSV file with the columns <code>time_s, power_w, hr_bpm, cadence_rpm</code>, from the start of the first stage to a minute after
          the last. A dropout is an empty field.
        </p>
        <p v-if="draft.series" class="soft" role="status">{{ lines }} lines chosen. They stay here until the result is saved.</p>
        <p v-if="wrong('series')" class="wrong" role="alert">{{ wrong("series") }}</p>
      </div>
      <BodyMap v-if="page.body_map" :map="page.body_map" :at="at" />
      <p v-if="siteOf(at)" class="hint">{{ siteOf(at) }}</p>
      <div class="numbers">
        <ReadingField
          v-for="i in inputs"
          :key="i.key"
          v-model="draft.values"
          :input="i"
          :wrong="wrong(i.key)"
          :given="draft.given"
          :units="units"
          :stages="stagesOf(props.page.protocol.procedure, i.key)"
          :class="{ wide: isWide(i) }"
          @focusin="at = i.key"
        />
      </div>
      <div v-if="staged" class="stages">
        <table>
          <thead>
            <tr>
              <th>Stage</th>
              <th>kgm/min</th>
              <th v-for="m in minutesOf" :key="m">min {{ m }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(s, k) in draft.stages" :key="k">
              <td>{{ k + 1 }}</td>
              <td><input v-model="s.load" :aria-label="`Load of stage ${k + 1}`" inputmode="decimal" class="native num" /></td>
              <td v-for="m in minutesOf" :key="m">
                <input
                  v-model="s.rates[m]"
                  :aria-label="`Heart rate of stage ${k + 1}, minute ${m}`"
                  inputmode="numeric"
                  class="native num"
                />
              </td>
            </tr>
          </tbody>
        </table>
        <ElButton v-if="draft.stages.length < 8" @click="draft.stages.push({ load: '', rates: {} })">Add a stage</ElButton>
        <p v-if="wrong('stages')" class="wrong" role="alert">{{ wrong("stages") }}</p>
        <label class="field"
          ><span class="name">Resting heart rate</span
          ><ElInput v-model="draft.resting" name="resting_hr" class="number" inputmode="numeric"><template #append>bpm</template></ElInput
          ><span class="hint">Optional. It can lower the ceiling.</span
          ><span v-if="wrong('resting_hr')" class="wrong" role="alert">{{ wrong("resting_hr") }}</span></label
        >
      </div>
      <template v-if="page.hr_max.length">
        <label class="field"
          ><span class="name">Measured maximal heart rate</span
          ><ElInput v-model="draft.measured" name="hr_max" class="number" inputmode="numeric"><template #append>bpm</template></ElInput
          ><span class="hint">If there is one, it is used instead of any rule.</span
          ><span v-if="wrong('hr_max')" class="wrong" role="alert">{{ wrong("hr_max") }}</span></label
        >
        <div v-if="!draft.measured" class="field">
          <span id="m-h" class="name">Maximal heart rate</span>
          <ElRadioGroup v-model="draft.method" aria-labelledby="m-h">
            <ElRadioButton v-for="o in page.hr_max" :key="o.method" :value="o.usual ? '' : o.method"
              >{{ o.formula }}: {{ Math.round(o.hr_max) }}</ElRadioButton
            >
          </ElRadioGroup>
          <p v-if="wrong('hr_max_method')" class="wrong" role="alert">{{ wrong("hr_max_method") }}</p>
        </div>
      </template>
      <MassField
        v-if="page.mass && (wrong('mass') || draft.mass || draft.keepMass)"
        v-model:mass="draft.mass"
        v-model:keep="draft.keepMass"
        :shown="page.mass.shown"
        :asks="true"
        :wrong="wrong('mass')"
        :units="page.units"
      />
    </section>
    <section>
      <h2>How it was</h2>
      <ConditionField v-for="c in asked" :units="units" :key="c.key" v-model="draft.given[c.key]" :condition="c" :wrong="wrong(c.key)" />
      <label class="field"
        ><span class="name">Remark</span><ElInput v-model="draft.remark" name="remark" maxlength="2000" /><span
          v-if="wrong('remark')"
          class="wrong"
          role="alert"
          >{{ wrong("remark") }}</span
        ></label
      >
    </section>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 44px;
  margin-bottom: 12px;
}
.number {
  max-width: 220px;
  display: flex;
}
.numbers {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(170px, 1fr));
  gap: 0 20px;
}
.wide {
  grid-column: 1 / -1;
}
.file {
  display: inline-block;
  position: relative;
  padding: 10px 18px;
  border: 1px solid var(--fjord);
  border-radius: 8px;
  color: var(--fjord);
  font-weight: 600;
  cursor: pointer;
}
.file:focus-within {
  outline: 3px solid var(--fjord);
  outline-offset: 2px;
}
.file input {
  position: absolute;
  inset: 0;
  opacity: 0;
  cursor: pointer;
}
.stages input {
  width: 84px;
}
.stages table {
  border-collapse: collapse;
  margin-bottom: 10px;
}
.stages th {
  text-align: left;
  color: var(--soft);
  font-weight: 400;
}
.stages td,
.stages th {
  padding: 3px 8px 3px 0;
}
.stages .field {
  margin-top: 16px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
    gap: 12px;
  }
}
</style>
