<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { ofFamily } from "@/logic/procedure";
import { api, take } from "@/api/client";
import type { Input, ResultPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import MassField from "@/components/fields/MassField.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import BodyMap from "@/components/BodyMap.vue";
import ReadingField from "@/components/fields/ReadingField.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { answers, given } from "@/logic/conditions";
import { isWrong, missingSide, readings, shownIn, texts, unusual, withUntouched } from "@/logic/readings";
import { typed } from "@/logic/typed";

/** A test that was done on paper: the day, the readings, the circumstances. Or, with `result`, one that is put right. */
const props = defineProps<{ id?: string; protocol?: string; result?: string }>();
const router = useRouter();
const route = useRoute();
const stored = ref<ResultPage | null>(null);
const day = ref<string | null>(null);
/** Whose, and which test. */
const of = computed(() => ({ id: props.id ?? stored.value!.person, protocol: props.protocol ?? stored.value!.protocol }));
/** The place in a visit that this test fills. */
const visit = route.query.visit ? { visit: String(route.query.visit), place: Number(route.query.place) } : null;
const inVisit = visit ? `.${visit.visit}.${visit.place}` : "";
const {
  data: page,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => {
  if (props.result) stored.value = await take(api.GET("/api/results/{id}", { params: { path: { id: props.result } } }));
  // A test of a visit was done on the visit's day.
  if (visit) day.value = (await take(api.GET("/api/visits/{id}", { params: { path: { id: visit.visit } } }))).on;
  return take(api.GET("/api/people/{id}/assess/{protocol}", { params: { path: of.value, query: visit ?? {} } }));
});
interface Stage {
  load: string;
  rates: Record<string, string>;
}
const { draft, clear } = useDraft(props.result ? `correct.${props.result}` : `enter.${props.id}.${props.protocol}${inVisit}`, {
  id: uuid(),
  on: "",
  values: {} as Record<string, string>,
  given: {} as Record<string, string | boolean>,
  stages: [{ load: "150", rates: {} }] as Stage[],
  method: "",
  resting: "",
  measured: "",
  mass: "",
  keepMass: false,
  series: "",
  reason: "",
  seen: -1,
  filled: false,
});
const { busy, failure, run } = useAction();
const local = ref<{ field: string; message: string } | null>(null);
watch(page, (p) => {
  if (!p) return;
  const was = stored.value;
  // What was typed for an older version of the result is not typed for this one.
  if (was && draft.value.seen !== was.versions.length) {
    const staged = (was.entry.inputs as { stages?: Record<string, number>[] }).stages ?? [];
    Object.assign(draft.value, {
      id: uuid(),
      on: was.on,
      values: texts(p.protocol.inputs, was.entry.inputs, shownIn(p.units)),
      given: given(was.entry.conditions, p.protocol.conditions, p.units),
      stages: staged.map((s) => ({
        load: String(s.load_kgm_min),
        rates: Object.fromEntries(Object.entries(s).flatMap(([k, v]) => (k.startsWith("hr_") ? [[k.slice(3), String(v)]] : []))),
      })),
      method: String(was.entry.conditions["hr_max_method"] ?? ""),
      resting: was.entry.resting_hr == null ? "" : String(was.entry.resting_hr),
      measured: was.entry.hr_max == null ? "" : String(was.entry.hr_max),
      seen: was.versions.length,
      filled: true,
    });
    if (p.hr_max.find((o) => o.usual)?.method === draft.value.method || !p.hr_max.length) draft.value.method = "";
    return;
  }
  if (draft.value.filled) return;
  Object.assign(draft.value.given, given(p.suggested, p.protocol.conditions, p.units));
  draft.value.on = day.value ?? new Date().toISOString().slice(0, 10);
  draft.value.filled = true;
});
const asked = computed(() => page.value?.protocol.conditions.filter((c) => c.ask) ?? []);
const byCondition = computed(() => new Set(asked.value.map((c) => c.key)));
const inputs = computed(() => page.value?.protocol.inputs.filter((i) => !byCondition.value.has(i.key) && !i.inverse) ?? []);
/** What needs more than one field takes a line of its own. */
const isWide = (i: Input) => (i.tries ?? 1) > 1 || (i.sides?.length ?? 0) > 0 || !["number", undefined].includes(i.kind);
const rule = computed(() => ofFamily(page.value?.protocol.procedure, "staged_steady_state"));
const staged = computed(() => rule.value?.goal.kind === "line");
const minutesOf = computed(() => {
  if (!rule.value) return [];
  const out = [...rule.value.read_at];
  for (let m = Math.max(...out) + 1; m <= rule.value.until_minute; m++) out.push(m);
  return out;
});
const recorded = computed(() => page.value?.protocol.procedure.family === "clamped_heart_rate");
/** The recording's file as it was chosen; its text goes to the server as it is. */
async function choose(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (file) draft.value.series = await file.text();
}
const lines = computed(() => draft.value.series.trim().split("\n").length - 1);
const wrong = (key: string) =>
  local.value?.field === key ? local.value.message : failure.value?.field === key ? failure.value.message : null;
const known = computed(
  () =>
    new Set([
      ...asked.value.map((c) => c.key),
      ...inputs.value.map((i) => i.key),
      "on",
      "stages",
      "series",
      "resting_hr",
      "hr_max",
      "hr_max_method",
      "mass",
      "reason",
    ]),
);

/** It is meant that one side was not done: asked once. */
const oneSide = ref(false);
/** An unusual value is meant: asked once. */
const meant = ref(false);
const units = computed(() => page.value?.units ?? "metric");
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
async function keep() {
  local.value = null;
  const read = readings(inputs.value, draft.value.values, draft.value.given, units.value);
  if (isWrong(read)) return void (local.value = read);
  const was = stored.value?.entry;
  const values = was ? withUntouched(inputs.value, read, draft.value.values, was.inputs, units.value) : read;
  const conditions = answers(asked.value, draft.value.given, units.value);
  const shownBefore = given(was?.conditions ?? {}, asked.value, units.value);
  for (const key of Object.keys(conditions)) {
    const kept = was?.conditions[key];
    if (kept !== undefined && shownBefore[key] === draft.value.given[key]) conditions[key] = kept as never;
  }
  // A side that is missing is asked for once.
  const open = missingSide(inputs.value, values);
  if (open && !oneSide.value) {
    oneSide.value = true;
    return void (local.value = open);
  }
  // What is merely unusual is asked about once.
  const odd = unusual(inputs.value, values, units.value);
  if (odd && !meant.value) {
    meant.value = true;
    return void (local.value = { ...odd, message: `${odd.message} Correct it, or save again to keep it.` });
  }
  const stages = [];
  for (const stage of staged.value ? draft.value.stages : []) {
    const rates = Object.entries(stage.rates).filter(([, t]) => t.trim());
    if (!stage.load.trim() && !rates.length) continue;
    const heart_rates = Object.fromEntries(rates.map(([m, t]) => [m, number(t)]));
    if ([number(stage.load), ...Object.values(heart_rates)].some(Number.isNaN))
      return void (local.value = { field: "stages", message: "Loads and heart rates are numbers." });
    stages.push({ load_kgm_min: number(stage.load), heart_rates });
  }
  const typedIn = {
    on: draft.value.on,
    inputs: values as never,
    stages,
    conditions,
    hr_max_method: (draft.value.method || null) as never,
    resting_hr: draft.value.resting ? number(draft.value.resting) : null,
    hr_max: draft.value.measured ? number(draft.value.measured) : null,
    series_csv: draft.value.series || null,
    mass: draft.value.keepMass ? "" : draft.value.mass,
    keep_mass: draft.value.keepMass,
  };
  const { id, protocol } = of.value;
  const kept = await run(() => {
    if (!props.result)
      return take(
        api.POST("/api/people/{id}/results", {
          params: { path: { id } },
          body: { id: draft.value.id, protocol, visit, ...typedIn } as never,
        }),
      );
    const body = { id: draft.value.id, seen: draft.value.seen, reason: draft.value.reason, change: "corrected", ...typedIn };
    return take(api.POST("/api/results/{id}/corrections", { params: { path: { id: props.result } }, body: body as never }));
  });
  if (!kept) return;
  clear();
  await router.push(visit ? `/visits/${visit.visit}/floor` : `/results/${kept.result}`);
}
</script>

<template>
  <PageState v-if="!page" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="keep">
    <div class="page-head">
      <div>
        <h1>{{ page.protocol.name }}{{ stored ? ": correct the result" : recorded ? ", from its recording" : ", done on paper" }}</h1>
        <div class="soft">{{ page.name }} · {{ page.protocol.summary }}</div>
      </div>
    </div>
    <div class="two">
      <section>
        <h2>What was read</h2>
        <label class="field"
          ><span class="name">Day</span><input v-model="draft.on" class="native" type="date" name="on" :readonly="day !== null" /><span
            v-if="wrong('on')"
            class="wrong"
            role="alert"
            >{{ wrong("on") }}</span
          ></label
        >
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
            A CSV file with the columns <code>time_s, power_w, hr_bpm, cadence_rpm</code>, from the start of the first stage to a minute
            after the last. A dropout is an empty field.
          </p>
          <p v-if="draft.series" class="soft" role="status">{{ lines }} lines chosen. They stay here until the result is kept.</p>
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
          <ElButton v-if="draft.stages.length < 8" @click="draft.stages.push({ load: '', rates: {} })">One stage more</ElButton>
          <p v-if="wrong('stages')" class="wrong" role="alert">{{ wrong("stages") }}</p>
          <label class="field"
            ><span class="name">Resting heart rate</span
            ><ElInput v-model="draft.resting" name="resting_hr" class="number" inputmode="numeric"><template #append>bpm</template></ElInput
            ><span class="hint">Where it was taken: it may lower the ceiling.</span
            ><span v-if="wrong('resting_hr')" class="wrong" role="alert">{{ wrong("resting_hr") }}</span></label
          >
        </div>
        <template v-if="page.hr_max.length">
          <label class="field"
            ><span class="name">Measured maximal heart rate</span
            ><ElInput v-model="draft.measured" name="hr_max" class="number" inputmode="numeric"><template #append>bpm</template></ElInput
            ><span class="hint">Where there is one, it wins over any rule.</span
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
      </section>
    </div>
    <label v-if="stored" class="field because"
      ><span class="name">Reason for the correction</span
      ><ElInput v-model="draft.reason" name="reason" maxlength="2000" placeholder="Misread the tape" /><span class="hint"
        >The earlier version is saved too, with this reason.</span
      ><span v-if="wrong('reason')" class="wrong" role="alert">{{ wrong("reason") }}</span></label
    >
    <FailureNote :failure="failure && !known.has(failure.field ?? '') ? failure : null" />
    <div class="actions">
      <ElButton type="primary" size="large" native-type="submit" :loading="busy">{{
        stored ? "Save correction" : "Keep the result"
      }}</ElButton><RouterLink v-if="stored" :to="`/results/${stored.id}`">Cancel</RouterLink>
    </div>
  </form>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 44px;
  margin-bottom: 12px;
}
.because {
  max-width: 640px;
}
.number {
  max-width: 220px;
  display: flex;
}
.field .name {
  display: block;
  font-weight: 600;
  margin-bottom: 4px;
}
.field .hint {
  color: var(--soft);
  font-size: 15px;
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
