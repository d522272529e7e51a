<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { ofFamily } from "@/logic/procedure";
import { api, take } from "@/api/client";
import { inUnits } from "@/logic/units";
import { parts } from "@/logic/beat";
import { answers, given, isSo } from "@/logic/conditions";
import type { SetUpDraft } from "@/logic/paper";
import type { Ceiling, Conditions, Unlike } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PictureBox from "@/components/PictureBox.vue";
import PageState from "@/components/PageState.vue";
import PrepareStep from "@/components/PrepareStep.vue";
import MassField from "@/components/fields/MassField.vue";
import ConditionField from "@/components/fields/ConditionField.vue";
import { dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { useBegin } from "@/floor/useBegin";
import { prepareTest } from "@/offline/prepare";
import { useWaiting } from "@/stores/waiting";

const props = defineProps<{ id: string; protocol: string }>();
const route = useRoute();
const waiting = useWaiting();
/** The place in a visit that this test fills. */
const visit = route.query.visit ? { visit: String(route.query.visit), place: Number(route.query.place) } : null;
const inVisit = visit ? `.${visit.visit}.${visit.place}` : "";
const path = { id: props.id, protocol: props.protocol };
const {
  data: page,
  failure: lost,
  loading,
  reload,
} = useLoad(() => take(api.GET("/api/people/{id}/assess/{protocol}", { params: { path, query: visit ?? {} } })));

const { draft, clear } = useDraft<SetUpDraft>(`assess.${props.id}.${props.protocol}${inVisit}`, {
  run: uuid(),
  given: {},
  cadence: null,
  reason: "",
  load: null,
  method: "",
  ceiling: "lower",
  resting: "",
  max: "",
  mass: "",
  keepMass: false,
  filled: false,
});
watch(page, (p) => {
  if (p) void prepareTest(props.id, props.protocol, visit ?? undefined);
  if (!p || draft.value.filled) return;
  Object.assign(draft.value.given, given(p.suggested, p.protocol.conditions, p.units));
  draft.value.reason = p.readiness?.overrule_reason ?? "";
  draft.value.filled = true;
});

const count = computed(() => ofFamily(page.value?.protocol.procedure, "counted_recovery"));
const asked = computed(() => page.value?.protocol.conditions.filter((c) => c.ask) ?? []);
const conditions = computed<Conditions>(() => answers(asked.value, draft.value.given, page.value?.units));
/** The beat in words: with unequal halves each is named with its seconds. */
const beat = computed(() => {
  const { cadence, protocol } = page.value!;
  const places = protocol.cadence?.places ?? [];
  const cycle = { per_minute: cadence!, first_ms: 0, places, shares: protocol.cadence?.shares ?? [] };
  if (!cycle.shares.length) return { count: cadence, words: "beats a minute" };
  const each = parts(cycle).map((ms, k) => `${Math.round(ms / 100) / 10} s ${places[k]}`);
  return { count: cadence! / places.length, words: `a minute, ${each.join(" and ")}` };
});
/** Whether what is asked is done before the clock, with a timer of its own. */
const timed = (key: string) => page.value!.protocol.prepare?.some((p) => p.condition === key && p.seconds);
/** What the test looks like as it is set up. */
const drawings = computed(() => (page.value?.drawings ?? []).filter((d) => isSo(d.when, draft.value.given)));
const unlike = ref<Unlike[]>([]);
const differing = useAction();
const compare = useDebounceFn(async () => {
  if (!page.value?.last || Object.values(conditions.value).some((v) => typeof v === "number" && Number.isNaN(v))) return;
  unlike.value =
    (await differing.run(() =>
      take(api.POST("/api/people/{id}/assess/{protocol}/differences", { params: { path }, body: { conditions: conditions.value } })),
    )) ?? unlike.value;
}, 150);
watch([conditions, page], () => void compare(), { deep: true });
const differs = (key: string) => unlike.value.find((u) => u.key === key);

const live = computed(() => page.value?.runs_live ?? true);
const { busy, failure, run } = useAction();
const open = useBegin();
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
const known = computed(
  () =>
    new Set([
      ...asked.value.map((c) => c.key),
      "cadence",
      "overrule_reason",
      "resting_hr",
      "hr_max",
      ...(page.value?.mass ? ["mass"] : []),
    ]),
);
const elsewhere = computed(() => (failure.value && !known.value.has(failure.value.field ?? "") ? failure.value : null));
const loads = computed(() => (draft.value.given.conditioned ? page.value?.loads?.conditioned : page.value?.loads?.unconditioned) ?? []);
watch(loads, () => (draft.value.load = null));
/** A rule's name, or the coach's own number. */
const ceiling = computed<Ceiling | null>(() => {
  if (!page.value?.hr_max.length) return null;
  const own = Number(draft.value.ceiling);
  return own > 0 ? { rule: "chosen", bpm: own } : ({ rule: draft.value.ceiling } as Ceiling);
});
/** An answer with which the test is done only with a reason: nobody spots. */
const refused = computed(() => asked.value.find((c) => c.or_reason && draft.value.given[c.key] === false) ?? null);
const needsReason = computed(() => page.value !== null && (page.value.fit.verdict !== "suits" || refused.value !== null));

async function begin() {
  const body = {
    id: draft.value.run,
    people: [props.id],
    protocol: props.protocol,
    cadence: page.value?.cadence ?? draft.value.cadence,
    conditions: conditions.value,
    overrule_reason: needsReason.value ? draft.value.reason : null,
    first_load: loads.value.length ? (draft.value.load ?? loads.value[0]!.kgm_min) : null,
    hr_max_method: draft.value.method || null,
    ceiling: ceiling.value,
    resting_hr: draft.value.resting ? Number(draft.value.resting.replace(",", ".")) : null,
    visit,
    mass: draft.value.keepMass ? "" : draft.value.mass,
    keep_mass: draft.value.keepMass,
    hr_max: draft.value.max ? Number(draft.value.max.replace(",", ".")) : null,
  };
  await run(() => open(body, clear));
}
</script>

<template>
  <PageState v-if="!page" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="begin">
    <div class="page-head">
      <div>
        <h1>{{ page.protocol.name }}</h1>
        <div class="soft">{{ page.name }} · {{ page.protocol.summary }}</div>
      </div>
      <span class="grow"></span>
      <RouterLink v-if="!waiting.away" :to="{ path: `/people/${id}/enter/${protocol}`, query: route.query }"
        >Enter results from paper</RouterLink
      >
      <RouterLink :to="`/tests/${protocol}`">How it is done</RouterLink>
    </div>

    <div v-if="page.fit.verdict !== 'suits'" class="box fit" :class="page.fit.verdict === 'unsuited' ? 'stop' : 'care'">
      <p class="headline">{{ page.fit.because }}</p>
      <div class="actions">
        <RouterLink v-if="page.fit.instead" class="go" :to="`/people/${id}/assess/${page.fit.instead.protocol}`"
          >{{ page.fit.instead.name }} instead</RouterLink
        >
        <RouterLink v-else :to="`/people/${id}`">Leave it for today</RouterLink>
      </div>
    </div>
    <div v-if="!page.readiness" class="box care fit">
      Readiness has not been asked today.
      <RouterLink :to="{ path: `/people/${id}/readiness`, query: { then: $route.fullPath } }">Ask now</RouterLink>.
    </div>

    <div class="two">
      <section>
        <h2>Set up</h2>
        <div v-if="drawings.length" class="pictures">
          <PictureBox v-for="d in drawings" :key="d.caption" :drawing="d" />
        </div>
        <ul class="bring">
          <li v-for="e in page.protocol.equipment" :key="e.what">{{ e.what }}</li>
        </ul>
        <ConditionField
          :units="page.units"
          v-for="c in asked"
          :key="c.key"
          v-model="draft.given[c.key]"
          :condition="c"
          :wrong="wrong(c.key)"
        >
          <template v-if="timed(c.key)" #yes-no>It is listed under “Before the clock”, with a timer.</template>
          <template v-if="c.expected" #hint> The protocol’s is {{ inUnits(c.expected, c.unit ?? "", page.units) }}.</template>
          <p v-if="differs(c.key)" class="unlike">
            <b>◆ {{ differs(c.key)!.then }} last time.</b> Matters because {{ differs(c.key)!.why }}.
          </p>
        </ConditionField>
        <MassField
          v-if="page.mass"
          v-model:mass="draft.mass"
          v-model:keep="draft.keepMass"
          :shown="page.mass.shown"
          :asks="page.mass.is_old || wrong('mass') !== null"
          :wrong="wrong('mass')"
          :units="page.units"
        />
        <div v-if="loads.length > 1" class="condition">
          <span id="c-load" class="name">First load</span>
          <ElRadioGroup
            :model-value="draft.load ?? loads[0]!.kgm_min"
            aria-labelledby="c-load"
            @update:model-value="(v: unknown) => (draft.load = Number(v))"
          >
            <ElRadioButton v-for="l in loads" :key="l.kgm_min" :value="l.kgm_min"
              >{{ l.kgm_min }} kgm/min · {{ l.kp }} kp · {{ Math.round(l.watts) }} W</ElRadioButton
            >
          </ElRadioGroup>
        </div>
        <template v-if="page.hr_max.length">
          <label class="condition"
            ><span class="name">Resting heart rate</span
            ><ElInput v-model="draft.resting" name="resting_hr" inputmode="numeric" class="number"><template #append>bpm</template></ElInput
            ><span class="hint">Seated, after five minutes. It can lower the ceiling.</span>
            <span v-if="wrong('resting_hr')" class="wrong" role="alert">{{ wrong("resting_hr") }}</span></label
          >
          <div class="condition">
            <span id="c-max" class="name">Maximal heart rate</span>
            <ElRadioGroup v-model="draft.method" aria-labelledby="c-max">
              <ElRadioButton v-for="o in page.hr_max" :key="o.method" :value="o.usual ? '' : o.method"
                >{{ o.formula }}: {{ Math.round(o.hr_max) }}</ElRadioButton
              >
            </ElRadioGroup>
          </div>
          <div class="condition">
            <span id="c-ceil" class="name">Ceiling</span>
            <ElRadioGroup v-model="draft.ceiling" aria-labelledby="c-ceil">
              <ElRadioButton value="lower">the lower of both</ElRadioButton>
              <ElRadioButton value="of_max">85 % of maximum</ElRadioButton>
              <ElRadioButton value="of_reserve" :disabled="!draft.resting">70 % of reserve</ElRadioButton>
            </ElRadioGroup>
          </div>
        </template>
        <div
          v-if="page.cadence === null && page.cadence_choices.length > 1 && isSo(page.protocol.cadence?.when, draft.given)"
          class="condition"
        >
          <span id="c-cadence" class="name">Which beat?</span>
          <ElRadioGroup
            :model-value="draft.cadence ?? undefined"
            @update:model-value="(v: unknown) => (draft.cadence = Number(v))"
            aria-labelledby="c-cadence"
          >
            <ElRadioButton v-for="beat in page.cadence_choices" :key="beat" :value="beat">{{ beat }} a minute</ElRadioButton>
          </ElRadioGroup>
          <span class="hint">The protocol gives one beat for men and one for women; no sex is on record.</span>
          <p v-if="wrong('cadence')" class="wrong" role="alert">{{ wrong("cadence") }}</p>
        </div>
        <p v-else-if="page.cadence && isSo(page.protocol.cadence?.when, draft.given)" class="beat">
          <b class="num">{{ beat.count }}</b> {{ beat.words }}, sounded by Impulso.
        </p>
      </section>

      <section>
        <h2>Before the clock</h2>
        <PrepareStep v-for="step in page.protocol.prepare" :key="step.id" :step="step" />
        <template v-if="count">
          <h2>The count</h2>
          <p>{{ count.rule }}</p>
        </template>
        <h2>Cautions</h2>
        <ul class="care-list">
          <li v-for="c in page.cautions" :key="c">{{ c }}</li>
        </ul>
        <template v-if="page.last">
          <h2>Last time, {{ dayYear(page.last.on) }}</h2>
          <p v-if="unlike.length === 0">So far the same.</p>
          <dl>
            <template v-for="c in page.last.conditions" :key="c.label"
              ><dt>{{ c.label }}</dt>
              <dd>{{ c.value }}</dd></template
            >
          </dl>
        </template>
      </section>
    </div>

    <label v-if="needsReason" class="field reason"
      ><span class="name">{{ refused ? `${refused.label}: no. Why all the same?` : "Why this test all the same?" }}</span
      ><ElInput v-model="draft.reason" name="overrule_reason" placeholder="Your reason; it is saved with the record" />
      <span v-if="wrong('overrule_reason')" class="wrong" role="alert">{{ wrong("overrule_reason") }}</span></label
    >
    <FailureNote :failure="elsewhere" />
    <div class="actions foot">
      <ElButton v-if="live" type="primary" size="large" native-type="submit" :loading="busy">Start test</ElButton>
      <span v-if="live" class="soft">The clock starts when you say so.</span>
      <RouterLink v-else class="go" :to="`/people/${id}/enter/${protocol}`">Enter the result</RouterLink>
    </div>
  </form>
</template>

<style scoped>
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
  gap: 12px 24px;
  margin-bottom: 14px;
}
.fit {
  margin-bottom: 18px;
}
.headline {
  font-size: 18px;
  font-weight: 650;
}
.go {
  border: 1px solid var(--fjord);
  background: var(--fjord);
  color: var(--on-fjord);
  border-radius: 8px;
  padding: 10px 18px;
  font-weight: 600;
  text-decoration: none;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 44px;
}
.bring,
.care-list {
  padding-left: 20px;
  margin: 0 0 16px;
}
.condition {
  margin-bottom: 16px;
}
.condition .name {
  display: block;
  font-weight: 650;
  margin-bottom: 4px;
}
.hint {
  display: block;
  color: var(--soft);
  font-size: 15px;
  margin-top: 3px;
}
.number {
  width: 200px;
}
.unlike {
  color: var(--ochre);
  margin: 6px 0 0;
}
.beat b {
  font-size: 22px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 18px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
section h2:not(:first-child) {
  margin-top: 22px;
}
.reason {
  max-width: 620px;
}
.foot {
  position: sticky;
  bottom: 0;
  background: var(--paper);
  padding: 14px 0;
  border-top: 1px solid var(--line);
  margin-top: 22px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
    gap: 12px;
  }
}
</style>
