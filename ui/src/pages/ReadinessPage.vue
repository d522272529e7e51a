<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { Advice, Answers, Symptom } from "@/api/types";
import ConsentBox from "@/components/ConsentBox.vue";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import YesNo from "@/components/YesNo.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";

const props = defineProps<{ id: string }>();
const router = useRouter();
/** Where the asking was come to from, a page of this application: there it goes on. */
const from = useRoute().query.then;
const then = typeof from === "string" && /^\/(people|group-visits)\//.test(from) ? from : null;
const {
  data: person,
  failure: lost,
  loading,
  reload,
} = useLoad(() => take(api.GET("/api/people/{id}", { params: { path: { id: props.id } } })));

interface Draft {
  active: boolean | null;
  disease: boolean | null;
  cleared: boolean | null;
  drug: boolean | null;
  symptoms: Symptom[];
  none: boolean;
  systolic: string;
  diastolic: string;
  reason: string;
}
const { draft, clear } = useDraft<Draft>(`readiness.${props.id}`, {
  active: null,
  disease: null,
  cleared: null,
  drug: null,
  symptoms: [],
  none: false,
  systolic: "",
  diastolic: "",
  reason: "",
});
watch(person, (p) => {
  if (p && draft.value.drug === null && p.form.rate_limiting_drug) draft.value.drug = true;
});

const symptoms: [Symptom, string][] = [
  ["chest_discomfort", "Pain or pressure in the chest, neck, jaw or arm"],
  ["breathlessness", "Out of breath at rest or with little effort"],
  ["dizziness", "Dizzy, or has fainted"],
  ["palpitations", "Heart races or stumbles"],
  ["ankle_swelling", "Swollen ankles"],
  ["calf_pain", "Calf pain when walking"],
  ["unwell_today", "Fever, or feels ill today"],
];
watch(
  () => draft.value.symptoms.length,
  (n) => n > 0 && (draft.value.none = false),
);
watch(
  () => draft.value.none,
  (none) => none && (draft.value.symptoms = []),
);

const complete = computed(
  () =>
    draft.value.active !== null &&
    draft.value.disease !== null &&
    draft.value.drug !== null &&
    (draft.value.none || draft.value.symptoms.length > 0) &&
    (!draft.value.disease || draft.value.cleared !== null),
);
const number = (text: string) => (text.trim() === "" ? null : Number(text));
const answers = computed<Answers>(() => ({
  regularly_active: draft.value.active ?? false,
  known_disease: draft.value.disease ?? false,
  symptoms: draft.value.symptoms,
  cleared_within_12_months: draft.value.cleared ?? false,
  rate_limiting_drug: draft.value.drug ?? false,
  systolic: number(draft.value.systolic),
  diastolic: number(draft.value.diastolic),
}));

const advice = ref<Advice | null>(null);
const asking = useAction();
const saving = useAction();
const ask = useDebounceFn(async () => {
  if (!complete.value) return (advice.value = null);
  advice.value = (await asking.run(() => take(api.POST("/api/readiness/advice", { body: answers.value })))) ?? null;
}, 120);
watch([answers, complete], () => void ask(), { immediate: true });

const held = computed(() => advice.value !== null && (advice.value.moderate !== "go" || advice.value.vigorous !== "go"));
const tone = computed(() => (!advice.value || !held.value ? "" : advice.value.moderate === "go" ? "care" : "stop"));

async function keep(overrule: boolean) {
  const body = { answers: answers.value, overrule_reason: overrule ? draft.value.reason : null };
  const kept = await saving.run(() => take(api.POST("/api/people/{id}/readiness", { params: { path: { id: props.id } }, body })));
  if (!kept) return;
  clear();
  const on = then || `/people/${props.id}/assess`;
  const stays = !overrule && kept.advice.moderate !== "go" && !then?.startsWith("/group-visits/");
  await router.push(stays ? `/people/${props.id}` : on);
}
</script>

<template>
  <PageState v-if="!person" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>Readiness</h1>
        <div class="soft">{{ person.form.name }} · may we test, how hard, what to watch</div>
      </div>
    </div>
    <div class="two">
      <div>
        <form @submit.prevent="keep(false)">
          <YesNo v-model="draft.active" name="active" label="Regularly active?"
            >30 minutes of planned, moderate exercise, 3 days a week, for the last 3 months</YesNo
          >
          <YesNo v-model="draft.disease" name="disease" label="A known disease?"
            >Of the heart or vessels, the metabolism (diabetes too) or the kidneys</YesNo
          >
          <YesNo v-if="draft.disease" v-model="draft.cleared" name="cleared" label="Cleared by a doctor?"
            >For vigorous exercise, within the last 12 months</YesNo
          >
          <YesNo v-model="draft.drug" name="drug" label="A medicine that lowers the heart rate?">Such as a beta-blocker</YesNo>
          <fieldset class="symptoms">
            <legend>Any of these, now or lately with effort?</legend>
            <ElCheckbox v-model="draft.none">None of them</ElCheckbox>
            <ElCheckboxGroup v-model="draft.symptoms">
              <ElCheckbox v-for="[key, words] in symptoms" :key="key" :value="key">{{ words }}</ElCheckbox>
            </ElCheckboxGroup>
          </fieldset>
          <div class="pressure">
            <span class="name">Resting blood pressure, if measured</span>
            <ElInput v-model="draft.systolic" inputmode="numeric" aria-label="Upper value, mmHg" placeholder="upper" />
            <span aria-hidden="true">/</span>
            <ElInput v-model="draft.diastolic" inputmode="numeric" aria-label="Lower value, mmHg" placeholder="lower" />
            <span class="soft">mmHg</span>
          </div>
        </form>
        <ConsentBox :person="id" kind="testing" />
      </div>
      <aside aria-live="polite">
        <FailureNote :failure="asking.failure.value ?? saving.failure.value" />
        <div v-if="advice" class="box" :class="tone">
          <p class="headline">{{ advice.headline }}</p>
          <ul>
            <li v-for="r in advice.reasons" :key="r">{{ r }}</li>
          </ul>
          <h2>Watch for</h2>
          <ul>
            <li v-for="w in advice.watch" :key="w">{{ w }}</li>
          </ul>
        </div>
        <p v-else-if="!asking.failure.value" class="soft">Answer the questions; the advice and its reasons appear here.</p>
        <template v-if="advice">
          <div class="actions">
            <ElButton type="primary" size="large" :loading="saving.busy.value" @click="keep(false)">
              {{ advice.moderate !== "go" ? "Save, and do not test" : then ? "Save and continue" : "Save and choose a test" }}
            </ElButton>
          </div>
          <div v-if="held" class="overrule">
            <label class="field"
              ><span class="name">Test against this advice?</span
              ><ElInput v-model="draft.reason" name="reason" placeholder="Your reason; it is saved with the record" /></label
            ><ElButton :disabled="!draft.reason.trim()" @click="keep(true)">Overrule and go on</ElButton>
          </div>
        </template>
        <p class="soft fine">
          Impulso neither diagnoses nor clears anyone. Local rules and the doctor come first. After Riebe et al. 2015 (source recalled).
        </p>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 36px;
}
.symptoms {
  border: 0;
  padding: 14px 0;
  margin: 0;
  border-bottom: 1px solid var(--line);
}
legend {
  font-weight: 650;
  padding: 14px 0 0;
}
.symptoms :deep(.el-checkbox) {
  display: flex;
  height: auto;
  min-height: 34px;
  margin: 0;
  white-space: normal;
}
.symptoms :deep(.el-checkbox-group) {
  display: grid;
  grid-template-columns: 1fr 1fr;
  column-gap: 20px;
}
.pressure {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 14px 0;
  flex-wrap: wrap;
}
.pressure .name {
  font-weight: 650;
  margin-right: auto;
}
.pressure :deep(.el-input) {
  width: 92px;
}
.headline {
  font-size: 20px;
  font-weight: 650;
  line-height: 1.35;
}
ul {
  padding-left: 20px;
  margin: 0 0 12px;
}
.actions {
  margin: 16px 0;
}
.overrule {
  border-top: 1px solid var(--line);
  padding-top: 14px;
}
.fine {
  margin-top: 18px;
  font-size: 14px;
}
@media (max-width: 980px) {
  .two {
    grid-template-columns: 1fr;
  }
}
@media (max-width: 560px) {
  .symptoms :deep(.el-checkbox-group) {
    grid-template-columns: 1fr;
  }
}
</style>
