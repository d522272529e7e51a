<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { Fit, TestChoice } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import EquipmentChips from "@/components/EquipmentChips.vue";
import PageState from "@/components/PageState.vue";
import { dayShort } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";

/** For this client, with what is at hand: the tests that suit, and why the others do not. */
const props = defineProps<{ id: string }>();
const { data: p, failure, loading, reload } = useLoad(() => take(api.GET("/api/people/{id}", { params: { path: { id: props.id } } })));
const words = { suits: "suits", better_choice: "another suits better", unsuited: "not suitable" } as const;
const equipment = ref<string[] | null>(null);
const time = ref("");
const crowd = ref("");
const choice = ref<TestChoice | null>(null);
const choosing = useAction();
const minutes = computed(() => (Number(time.value) > 0 ? Math.floor(Number(time.value)) : null));
const people = computed(() => (Number(crowd.value) > 1 ? Math.min(500, Math.floor(Number(crowd.value))) : 1));
async function choose() {
  const body = { equipment: equipment.value, minutes: minutes.value, people: people.value };
  choice.value =
    (await choosing.run(() => take(api.POST("/api/people/{id}/choose", { params: { path: { id: props.id } }, body })))) ?? choice.value;
}
watch([equipment, minutes, people], () => void choose(), { immediate: true, deep: true });
const all = computed(() => choice.value?.fits ?? []);
const first = computed(() =>
  (choice.value?.first ?? []).flatMap((f) => {
    const fit = all.value.find((a) => a.protocol === f.protocol);
    return fit ? [{ ...fit, why: f.why }] : [];
  }),
);
/** Tests that are not suitable are a key away. */
const others = ref(false);
const some = computed(() => all.value.some((f) => f.verdict === "suits"));
const listed = computed(() => all.value.filter((f) => others.value || !some.value || f.verdict === "suits"));
const hidden = computed(() => all.value.filter((f) => f.verdict !== "suits").length);
/** The tests by the part of the library they stand in; one part is open at a time. */
const parts = computed(() => {
  const names = [...new Set(listed.value.map((f) => f.section))];
  return names.map((name) => ({ name, fits: listed.value.filter((f) => f.section === name) }));
});
const opened = ref("");
const to = (fit: Fit) => `/people/${props.id}/assess/${fit.protocol}`;
</script>

<template>
  <PageState v-if="!p" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>Which test?</h1>
        <div class="soft">{{ p.form.name }} · {{ p.age }}</div>
      </div>
      <span class="grow"></span>
      <RouterLink to="/classes/new">A class in pairs</RouterLink>
    </div>
    <div v-if="!p.readiness?.is_today" class="box care first">
      <p>Readiness has not been asked today.</p>
      <RouterLink :to="`/people/${id}/readiness`">Ask now</RouterLink>, it takes a minute.
    </div>
    <p v-else class="lead">{{ p.readiness.advice.headline }}</p>
    <p v-if="choice?.battery" class="box">
      <b>{{ choice.battery.name }}</b> is due since {{ dayShort(choice.battery.due_on) }}.
      <RouterLink :to="`/people/${id}/visits/new?battery=${choice.battery.id}`">Start visit</RouterLink>
    </p>
    <section v-if="first.length" class="best">
      <h2>Suggested</h2>
      <div class="rows">
        <RouterLink v-for="fit in first" :key="fit.protocol" class="row-link" :to="to(fit)">
          <span class="what"
            ><b>{{ fit.name }}</b> <small>{{ fit.why }}</small></span
          >
          <span class="go main" aria-hidden="true">→</span>
        </RouterLink>
      </div>
    </section>
    <h2>All tests</h2>
    <EquipmentChips v-model="equipment" />
    <fieldset class="means">
      <legend class="visually-hidden">How much time, how many people</legend>
      <label class="time">Minutes <ElInput v-model="time" name="minutes" inputmode="numeric" placeholder="any" /></label>
      <label class="time">People <ElInput v-model="crowd" name="people" inputmode="numeric" placeholder="1" /></label>
    </fieldset>
    <FailureNote :failure="choosing.failure.value" />
    <details v-for="part in parts" :key="part.name" class="part" :open="part.name === opened">
      <summary @click.prevent="opened = opened === part.name ? '' : part.name">
        <b>{{ part.name }}</b> <small>{{ part.fits.length === 1 ? "1 test" : `${part.fits.length} tests` }}</small>
      </summary>
      <ul class="rows">
        <li v-for="fit in part.fits" :key="fit.protocol">
          <div class="row-link">
            <span class="mark" :class="fit.verdict" aria-hidden="true">{{
              { suits: "●", better_choice: "◐", unsuited: "✕" }[fit.verdict]
            }}</span>
            <span class="what"
              ><b>{{ fit.name }}</b> <i>{{ words[fit.verdict] }}</i><small>{{ fit.because }}</small></span
            >
            <RouterLink class="go" :class="{ main: fit.verdict === 'suits' }" :to="to(fit)">{{
              fit.verdict !== "suits" ? "Use it all the same" : fit.runs_live ? "Set up" : "Enter"
            }}</RouterLink>
          </div>
        </li>
      </ul>
    </details>
    <ElButton v-if="hidden && some" text size="large" class="others" @click="others = !others">
      {{ others ? "Hide tests that are not suitable" : `Show ${hidden} more that are not suitable now, and why` }}
    </ElButton>
    <p v-if="all.length && all.every((f) => f.verdict === 'unsuited')" class="box stop none">
      None of these tests suits the client today. Do not test; note what the client tells you.
    </p>
  </div>
</template>

<style scoped>
.means {
  border: 0;
  padding: 0;
  margin: 0 0 16px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
  align-items: center;
}
.means label {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 40px;
}
.time :deep(.el-input) {
  width: 84px;
}
.best .row-link + .row-link {
  border-top: 1px solid var(--line);
}
.best {
  margin-bottom: 26px;
}
.first {
  margin-bottom: 18px;
}
.lead {
  margin-bottom: 18px;
}
.what {
  flex: 1;
  line-height: 1.4;
}
.what b {
  font-size: 18px;
}
.what i {
  font-style: normal;
  color: var(--soft);
  margin-left: 8px;
}
small {
  display: block;
  font-size: 16px;
  color: var(--soft);
  max-width: 70ch;
}
.mark {
  font-size: 22px;
  width: 26px;
  text-align: center;
}
.mark.suits {
  color: var(--fjord);
}
.mark.better_choice {
  color: var(--ochre);
}
.mark.unsuited {
  color: var(--madder);
}
.go {
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 11px 18px;
  font-weight: 600;
  text-decoration: none;
  white-space: nowrap;
}
.go.main {
  background: var(--fjord);
  color: var(--on-fjord);
}
.part {
  border-top: 1px solid var(--line);
}
summary {
  display: flex;
  align-items: baseline;
  gap: 12px;
  min-height: 52px;
  padding: 12px 8px;
  cursor: pointer;
  list-style: none;
}
summary::after {
  content: "+";
  margin-left: auto;
  color: var(--fjord);
  font-size: 22px;
  line-height: 1;
}
[open] > summary::after {
  content: "−";
}
summary small {
  display: inline;
}
.none {
  margin-top: 18px;
}
@media (max-width: 640px) {
  .row-link {
    flex-wrap: wrap;
  }
  .what {
    flex-basis: calc(100% - 60px);
  }
  .go {
    margin-left: 42px;
  }
}
</style>
