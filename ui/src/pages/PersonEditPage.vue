<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { PersonForm } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";

const props = defineProps<{ id?: string }>();
const router = useRouter();
const blank: PersonForm = {
  id: uuid(),
  name: "",
  born: "",
  sex: null,
  units: "metric",
  height: "",
  mass: "",
  occupation: "",
  goal: "",
  medicines: "",
  rate_limiting_drug: false,
  notes: "",
  version: 0,
};
const { draft: form, clear } = useDraft<PersonForm>(`person.${props.id ?? "new"}`, blank);
const { busy, failure, run } = useAction();
const existing = useLoad(async () => (props.id ? take(api.GET("/api/people/{id}", { params: { path: { id: props.id } } })) : null));
watch(existing.data, (page) => {
  // A draft of this very version stays; anything older gives way to the record.
  if (page && form.value.version !== page.form.version) form.value = { ...page.form };
});

const sexChoice = computed({
  get: () => form.value.sex ?? "none",
  set: (v: string) => (form.value.sex = v === "none" ? null : (v as "male" | "female")),
});
const missing = ref<string | null>(null);
const wrong = (field: string) =>
  field === "born" && missing.value ? missing.value : failure.value?.field === field ? failure.value.message : null;
const elsewhere = computed(() =>
  failure.value && !["name", "born", "height", "mass"].includes(failure.value.field ?? "") ? failure.value : null,
);

async function save(then: "page" | "readiness") {
  missing.value = form.value.born ? null : "Give the birth date: tests are scored by age.";
  if (missing.value) return;
  const body = form.value;
  const page = await run(() =>
    take(props.id ? api.PUT("/api/people/{id}", { params: { path: { id: props.id } }, body }) : api.POST("/api/people", { body })),
  );
  if (!page) return;
  clear();
  await router.push(then === "readiness" ? `/people/${page.id}/readiness` : `/people/${page.id}`);
}

/** Erasing for good: the name is typed, so that it is the right one. */
const typed = ref("");
const erasing = useAction();
async function erase() {
  const done = await erasing.run(async () => {
    await take(api.POST("/api/people/{id}/erase", { params: { path: { id: props.id! } }, body: { name: typed.value } }));
    return true;
  });
  if (!done) return;
  clear();
  await router.push("/people");
}
</script>

<template>
  <PageState
    v-if="id && !existing.data.value"
    :failure="existing.failure.value"
    :loading="existing.loading.value"
    @again="existing.reload"
  />
  <div v-else class="page">
    <form @submit.prevent="save(id ? 'page' : 'readiness')">
      <div class="page-head">
        <h1>{{ id ? form.name : "New client" }}</h1>
      </div>
      <div class="grid">
        <label class="field wide"
          ><span class="name">Name</span><ElInput v-model="form.name" name="name" autofocus autocomplete="off" />
          <span v-if="wrong('name')" class="wrong" role="alert">{{ wrong("name") }}</span></label
        >
        <DateField label="Birth date" v-model="form.born" name="born" :wrong="wrong('born')" />
        <fieldset class="field">
          <legend class="name">Sex (for equations and norms)</legend>
          <ElRadioGroup v-model="sexChoice" aria-label="Sex (for equations and norms)">
            <ElRadioButton value="female">Women’s</ElRadioButton>
            <ElRadioButton value="male">Men’s</ElRadioButton>
            <ElRadioButton value="none">Not given</ElRadioButton>
          </ElRadioGroup>
          <span class="hint"
            >Some equations and tables exist only for men and women separately. If no sex is recorded, those results are left out, never
            guessed.</span
          >
        </fieldset>
        <fieldset class="field">
          <legend class="name">Units</legend>
          <ElRadioGroup v-model="form.units" aria-label="Units">
            <ElRadioButton value="metric">cm, kg</ElRadioButton>
            <ElRadioButton value="imperial">ft in, lb</ElRadioButton>
          </ElRadioGroup>
        </fieldset>
        <div class="pair">
          <label class="field"
            ><span class="name">Height</span
            ><ElInput v-model="form.height" name="height" :placeholder="form.units === 'metric' ? '178' : `5'10`" />
            <span v-if="wrong('height')" class="wrong" role="alert">{{ wrong("height") }}</span></label
          >
          <label class="field"
            ><span class="name">Body mass</span
            ><ElInput v-model="form.mass" name="mass" :placeholder="form.units === 'metric' ? '80 kg' : '12 st 8'" />
            <span v-if="wrong('mass')" class="wrong" role="alert">{{ wrong("mass") }}</span></label
          >
        </div>
        <label class="field"><span class="name">Occupation or sport</span><ElInput v-model="form.occupation" name="occupation" /></label>
        <label class="field"><span class="name">Goal, in the client’s own words</span><ElInput v-model="form.goal" name="goal" /></label>
        <div class="field">
          <label><span class="name">Medicines</span><ElInput v-model="form.medicines" name="medicines" /></label>
          <ElCheckbox v-model="form.rate_limiting_drug">One of them lowers the heart rate, such as a beta-blocker</ElCheckbox>
        </div>
        <label class="field"><span class="name">Notes</span><ElInput v-model="form.notes" name="notes" type="textarea" :rows="3" /></label>
      </div>
      <FailureNote :failure="elsewhere" />
      <div class="actions">
        <ElButton type="primary" size="large" native-type="submit" :loading="busy">{{ id ? "Save" : "Save and check readiness" }}</ElButton>
        <ElButton v-if="!id" size="large" @click="save('page')">Save only</ElButton>
        <RouterLink v-else :to="`/people/${id}`" @click="clear">Leave without saving</RouterLink>
      </div>
    </form>
    <section v-if="id" class="whole">
      <h2>The whole record</h2>
      <p>
        <a :href="`/api/people/${id}/record`" download>Download it as a file</a>: everything that is kept of
        {{ existing.data.value?.form.name }}, in JSON, for the client who asks for it.
      </p>
      <details>
        <summary>Erase this client for good</summary>
        <form class="inner" @submit.prevent="erase">
          <p>
            Name, notes, readings, tests and dates go, and cannot be brought back. Of a class only this client’s part goes. That something
            was done stays in the activity log, without the name. The name stays where you typed it yourself: in other clients’ notes and
            remarks, and in the names of batteries and copies. Look through those and change them.
          </p>
          <label class="field"
            ><span class="name">Type the name: {{ existing.data.value?.form.name }}</span
            ><ElInput v-model="typed" name="erase" autocomplete="off"
          /></label>
          <FailureNote :failure="erasing.failure.value" />
          <ElButton type="danger" native-type="submit" :disabled="!typed.trim()" :loading="erasing.busy.value">Erase for good</ElButton>
        </form>
      </details>
    </section>
  </div>
</template>

<style scoped>
.page {
  max-width: 940px;
}
.grid {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 32px;
}
.pair {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 16px;
}
fieldset :deep(.el-radio-group) {
  flex-wrap: wrap;
}
.field :deep(.el-checkbox) {
  white-space: normal;
  height: auto;
  align-items: flex-start;
}
.whole {
  margin-top: 44px;
  padding-top: 22px;
  border-top: 1px solid var(--line);
}
summary {
  cursor: pointer;
  color: var(--madder);
  font-weight: 600;
  padding: 10px 0;
}
.inner {
  max-width: 560px;
}
@media (max-width: 760px) {
  .grid {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
