<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import BatteryLines from "@/components/BatteryLines.vue";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import VisitPrepare from "@/components/VisitPrepare.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { answers, given, type Given } from "@/logic/conditions";
import { dayYear } from "@/logic/dates";

/** A group visit about to begin: the battery, then what everybody shares, asked once and filled in as last time. */
const props = defineProps<{ id: string; battery?: string }>();
const router = useRouter();
const path = { id: props.id };
const {
  data,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => ({
  all: props.battery ? [] : await take(api.GET("/api/batteries")),
  plan: props.battery ? await take(api.GET("/api/groups/{id}/visits/new", { params: { path, query: { battery: props.battery } } })) : null,
}));
const plan = computed(() => data.value?.plan ?? null);
const { draft, clear } = useDraft(`group-visit.${props.id}.${props.battery}`, { id: uuid(), given: {} as Given, filled: false });
watch(plan, (p) => {
  if (!p || draft.value.filled) return;
  Object.assign(draft.value.given, given(p.suggested, p.asked));
  draft.value.filled = true;
});
const { busy, failure, run } = useAction();
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
const known = computed(() => new Set(plan.value?.asked.map((c) => c.key) ?? []));
async function begin() {
  const body = { id: draft.value.id, battery: props.battery!, conditions: answers(plan.value!.asked, draft.value.given) };
  const visit = await run(() => take(api.POST("/api/groups/{id}/visits", { params: { path }, body })));
  if (!visit) return;
  clear();
  await router.push(`/group-visits/${visit.id}`);
}
</script>

<template>
  <PageState v-if="!data" :failure="lost" :loading="loading" @again="reload" />
  <div v-else-if="!plan" class="page">
    <h1>Which battery for the group?</h1>
    <BatteryLines :batteries="data.all" :to="(b) => `/groups/${id}/visits/new?battery=${b.battery.id}`" />
  </div>
  <form v-else class="page" @submit.prevent="begin">
    <div class="page-head">
      <div>
        <h1>{{ plan.battery.battery.name }}</h1>
        <div class="soft">
          {{ plan.group_name }}, {{ plan.members }} members<template v-if="plan.last_on">, last on {{ dayYear(plan.last_on) }}</template>
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/groups/${id}/visits/new`">Another battery</RouterLink>
    </div>
    <RouterLink v-if="plan.open" class="box care open" :to="`/group-visits/${plan.open}`"
      >A visit of this group with this battery is still open. Continue it →</RouterLink
    >
    <div class="two">
      <section>
        <h2>Its tests</h2>
        <ol class="order">
          <li v-for="(name, k) in plan.battery.names" :key="k">{{ name }}</li>
        </ol>
        <template v-if="plan.asked.length">
          <h2>
            Asked once, for everybody<template v-if="plan.last_on"><span class="soft">&nbsp;· filled in as last time</span></template>
          </h2>
          <ConditionField v-for="c in plan.asked" :key="c.key" v-model="draft.given[c.key]" :condition="c" :wrong="wrong(c.key)" />
        </template>
      </section>
      <VisitPrepare :equipment="plan.equipment" :cautions="plan.cautions">
        <FailureNote :failure="failure && !known.has(failure.field ?? '') ? failure : null" />
        <ElButton type="primary" size="large" native-type="submit" :loading="busy" class="begin">Call the roll</ElButton>
      </VisitPrepare>
    </div>
  </form>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 36px;
  align-items: start;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
.open {
  display: block;
  margin-bottom: 12px;
  color: var(--ink);
}
.order {
  padding-left: 22px;
  margin: 0 0 20px;
}
.order li {
  padding: 4px 0;
}
.begin {
  width: 100%;
}
</style>
