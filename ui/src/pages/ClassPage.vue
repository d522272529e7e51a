<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { useDebounceFn } from "@vueuse/core";
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { AdmissionLine } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { useBegin } from "@/floor/useBegin";
import { answers } from "@/logic/conditions";

/** A class on one clock: who steps, on which bench, and off to the floor. */
const id = uuid();
const {
  data,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => {
  const people = [];
  let cursor: string | null | undefined;
  do {
    const page = await take(api.GET("/api/people", { params: { query: { q: "", cursor } } }));
    people.push(...page.people);
    cursor = page.next;
  } while (cursor && people.length < 400);
  const tests = await take(api.GET("/api/protocols"));
  // The one that many do at once on one clock.
  const together = tests.find((t) => t.in_pairs)?.id ?? "";
  return { people, method: await take(api.GET("/api/protocols/{id}", { params: { path: { id: together } } })) };
});
const chosen = ref(new Set<string>());
const given = ref<Record<string, string | boolean>>({ bench_cm: "30", pulse_site: "wrist" });
/** What speaks against the test, person by person, and each one's own reason. */
const reasons = ref<Record<string, string>>({});
const admission = ref<AdmissionLine[]>([]);
const held = computed(() => admission.value.filter((a) => a.against && chosen.value.has(a.person)));
const unasked = computed(() => admission.value.filter((a) => !a.asked && chosen.value.has(a.person)));
const q = ref("");
const { busy, failure, run } = useAction();
const open = useBegin();
const shown = computed(() => data.value?.people.filter((p) => p.name.toLowerCase().includes(q.value.toLowerCase())) ?? []);
const asked = computed(() => data.value?.method.protocol.conditions.filter((c) => c.ask) ?? []);
const most = computed(() => data.value?.method.protocol.people_at_once ?? 40);
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
function toggle(person: string) {
  const next = new Set(chosen.value);
  if (!next.delete(person)) next.add(person);
  chosen.value = next;
  void look();
}
const look = useDebounceFn(async () => {
  const body = { people: [...chosen.value], protocol: data.value!.method.protocol.id };
  const lines = await take(api.POST("/api/runs/admission", { body })).catch(() => null);
  if (!lines) return;
  admission.value = lines;
  for (const line of lines) if (line.reason) reasons.value[line.person] ??= line.reason;
}, 120);
async function begin() {
  const body = {
    id,
    people: [...chosen.value],
    protocol: data.value!.method.protocol.id,
    conditions: answers(asked.value, given.value),
    reasons: Object.fromEntries(held.value.flatMap((a) => (reasons.value[a.person]?.trim() ? [[a.person, reasons.value[a.person]!]] : []))),
  };
  await run(() => open(body));
}
</script>

<template>
  <PageState v-if="!data" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="begin">
    <div class="page-head">
      <div>
        <h1>A class in pairs</h1>
        <div class="soft">{{ data.method.protocol.summary }}</div>
      </div>
    </div>
    <div class="two">
      <section>
        <h2>Who steps? {{ chosen.size }} of up to {{ most }}</h2>
        <ElInput v-model="q" type="search" placeholder="Find a name" aria-label="Find a name" />
        <ul class="rows people">
          <li v-for="p in shown" :key="p.id">
            <label class="row-link"
              ><input type="checkbox" :checked="chosen.has(p.id)" @change="toggle(p.id)" /><b>{{ p.name }}</b
              ><span class="soft">{{ p.occupation }}</span></label
            >
          </li>
        </ul>
      </section>
      <section>
        <h2>The same for all</h2>
        <ConditionField v-for="c in asked" :key="c.key" v-model="given[c.key]" :condition="c" :wrong="wrong(c.key)" />
        <div v-if="unasked.length" class="box care">
          <b>Readiness not checked today:</b> {{ unasked.map((a) => a.name).join(", ") }}. Ask each of them before the clock starts; the
          activity log names who was not asked.
        </div>
        <label v-for="a in held" :key="a.person" class="field"
          ><span class="name">{{ a.name }}: why all the same?</span><span class="hint">{{ a.against }}</span
          ><ElInput
            v-model="reasons[a.person]"
            :name="`reason-${a.person}`"
            maxlength="1000"
            :placeholder="`Your reason for ${a.name} alone; it is saved with the record`"
          /><button type="button" class="link" @click="toggle(a.person)">{{ a.name }} watches instead</button></label
        >
        <span v-if="wrong('reasons')" class="wrong" role="alert">{{ wrong("reasons") }}</span>
      </section>
    </div>
    <FailureNote :failure="failure && !asked.some((c) => c.key === failure!.field) && failure.field !== 'reasons' ? failure : null" />
    <div class="actions">
      <ElButton type="primary" size="large" native-type="submit" :loading="busy" :disabled="chosen.size < 2">Start test</ElButton>
      <span class="soft">{{ chosen.size < 2 ? "Choose at least two." : "Partners join there by a code." }}</span>
    </div>
  </form>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 44px;
  margin-bottom: 18px;
}
.people {
  max-height: 50vh;
  overflow: auto;
  margin-top: 10px;
}
.people input {
  width: 22px;
  height: 22px;
  accent-color: var(--fjord);
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
    gap: 16px;
  }
}
</style>
