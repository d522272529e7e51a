<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import VisitPrepare from "@/components/VisitPrepare.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import DateField from "@/components/fields/DateField.vue";
import { dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { answers, given, type Given } from "@/logic/conditions";
import { nth } from "@/logic/visit";

/** A visit about to begin: the battery, what to set up for all of it, what its tests share, asked once. */
const props = defineProps<{ id: string; battery: string }>();
const router = useRouter();
const path = { id: props.id };
const {
  data: plan,
  failure: lost,
  loading,
  reload,
} = useLoad(() => take(api.GET("/api/people/{id}/visits/new", { params: { path, query: { battery: props.battery } } })));
const { draft, clear } = useDraft(`visit.${props.id}.${props.battery}`, { id: uuid(), given: {} as Given, on: "", at: "", filled: false });
watch(plan, (p) => {
  if (!p || draft.value.filled) return;
  Object.assign(draft.value.given, given(p.suggested, p.asked, p.units));
  draft.value.filled = true;
});
const { busy, failure, run } = useAction();
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
const known = computed(() => new Set([...(plan.value?.asked.map((c) => c.key) ?? []), "on", "at"]));
async function begin() {
  const body = {
    id: draft.value.id,
    battery: props.battery,
    on: draft.value.on || null,
    at: draft.value.at || null,
    conditions: answers(plan.value!.asked, draft.value.given, plan.value!.units),
  };
  const visit = await run(() => take(api.POST("/api/people/{id}/visits", { params: { path }, body })));
  if (!visit) return;
  clear();
  // A visit of an earlier day is typed from paper, all of it on one page.
  await router.push(`/visits/${visit.id}/${draft.value.on && draft.value.on !== visit.today ? "paper" : "floor"}`);
}
</script>

<template>
  <PageState v-if="!plan" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="begin">
    <div class="page-head">
      <div>
        <h1>{{ plan.battery.battery.name }}</h1>
        <div class="soft">
          {{ plan.name }} · {{ nth(plan.nth) }} time<template v-if="plan.last_on">, as on {{ dayYear(plan.last_on) }}</template>
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/people/${id}/visits`">Another battery</RouterLink>
    </div>
    <RouterLink v-if="plan.open" class="box care open" :to="`/visits/${plan.open}/floor`"
      >A visit of this battery is still open. Continue it →</RouterLink
    >
    <div v-if="!plan.readiness" class="box care open">
      Readiness has not been asked today.
      <RouterLink :to="{ path: `/people/${id}/readiness`, query: { then: $route.fullPath } }">Ask now</RouterLink>; it holds for all tests.
    </div>
    <div class="two">
      <section>
        <h2>{{ plan.battery.battery.window_min ? `In any order, within ${plan.battery.battery.window_min} minutes` : "In this order" }}</h2>
        <ol class="order">
          <li v-for="(name, k) in plan.battery.names" :key="k">
            <b>{{ name }}</b><span
              v-if="!plan.battery.battery.window_min && plan.battery.reasons[k] !== plan.battery.reasons[k - 1]"
              class="soft"
              >{{ plan.battery.reasons[k] }}</span
            >
          </li>
        </ol>
        <details class="past" :open="!!draft.on">
          <summary>Enter a visit from an earlier day</summary>
          <DateField label="Day" v-model="draft.on" name="on" :wrong="wrong('on')" />
          <label class="field"><span class="name">Hour</span><input v-model="draft.at" class="native" type="time" name="at" /></label>
          <p v-if="wrong('at')" class="wrong" role="alert">{{ wrong("at") }}</p>
        </details>
        <template v-if="plan.asked.length">
          <h2>
            Asked once, for all tests<template v-if="plan.last_on"><span class="soft">&nbsp;· filled in as last time</span></template>
          </h2>
          <ConditionField
            :units="plan.units"
            v-for="c in plan.asked"
            :key="c.key"
            v-model="draft.given[c.key]"
            :condition="c"
            :wrong="wrong(c.key)"
          />
        </template>
      </section>
      <VisitPrepare :equipment="plan.equipment" :cautions="plan.cautions">
        <FailureNote :failure="failure && !known.has(failure.field ?? '') ? failure : null" />
        <ElButton type="primary" size="large" native-type="submit" :loading="busy" class="begin">Begin</ElButton>
      </VisitPrepare>
    </div>
  </form>
</template>

<style scoped>
.past {
  margin-bottom: 18px;
}
.past summary {
  color: var(--fjord);
  cursor: pointer;
  margin-bottom: 8px;
}
.past .field {
  display: inline-block;
  margin-right: 24px;
}
.past .name {
  display: block;
  font-weight: 600;
}
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
.order span {
  display: block;
  font-size: 15px;
}
.begin {
  width: 100%;
}
</style>
