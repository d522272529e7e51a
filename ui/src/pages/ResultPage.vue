<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { QuantityReport } from "@/api/types";
import BodyMap from "@/components/BodyMap.vue";
import Extrapolation from "@/components/Extrapolation.vue";
import ChangeLine from "@/components/ChangeLine.vue";
import NormRule from "@/components/NormRule.vue";
import PageState from "@/components/PageState.vue";
import RideTable from "@/components/RideTable.vue";
import RetestPlanner from "@/components/RetestPlanner.vue";
import ReadingsList from "@/components/ReadingsList.vue";
import ResultVersions from "@/components/ResultVersions.vue";
import WhySheet from "@/components/WhySheet.vue";
import { dayYear } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";
import { useNews } from "@/composables/useNews";
import { toShown } from "@/logic/units";

const props = defineProps<{ id: string }>();
const { data: r, failure, loading, reload } = useLoad(() => take(api.GET("/api/results/{id}", { params: { path: { id: props.id } } })));
useNews(() => r.value?.person, reload);
const why = ref(false);
const asked = ref<QuantityReport | null>(null);
const main = computed(() => r.value?.report?.quantities.find((q) => q.value != null) ?? null);
/** Which way of knowing the maximal heart rate the picture shows; the stored one at first. */
const method = ref<string | null>(null);
const choice = computed(() => r.value?.hr_max_choices.find((c) => (method.value === null ? c.stored : c.method === method.value)) ?? null);
/** A ride is read as a whole, in its table. */
const shown = computed(() => (r.value?.ride ? [] : (r.value?.report?.quantities ?? [])));
const change = computed(() => (main.value ? r.value?.progress[main.value.key] : null));
const lastOf = (key: string) => {
  const since = r.value?.progress[key]?.since_last;
  return since && since.verdict !== "not_comparable" ? since : null;
};
/** Girths on the body map, each with what it was. */
const girths = computed(() => {
  const found = (r.value?.report?.quantities ?? []).filter((q) => q.value != null);
  return Object.fromEntries(found.map((q) => [q.key, `${q.shown} ${q.unit}`]));
});
const moved = computed(() => {
  const since = Object.entries(r.value?.progress ?? {}).flatMap(([key, p]) => (p.since_last ? [[key, p.since_last] as const] : []));
  const shown = (cm: number) => Number(toShown(Math.abs(cm), "cm", r.value!.units)).toFixed(1);
  return Object.fromEntries(since.map(([key, c]) => [key, `${c.difference < 0 ? "−" : "+"}${shown(c.difference)}`]));
});
function ask(q: QuantityReport) {
  asked.value = q;
  why.value = true;
}
</script>

<template>
  <PageState v-if="!r" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ r.name }}</h1>
        <div class="soft">
          {{ r.protocol_name }} · {{ dayYear(r.on)
          }}<template v-if="r.copied_from"> · own copy of the {{ r.copied_from }}, not compared with it</template>
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/people/${r.person}`">To {{ r.name }}’s page</RouterLink>
    </div>

    <div v-if="r.voided" class="box care">
      <p class="headline">This result is void. It isn’t used anywhere.</p>
      <p>“{{ r.versions[0]?.reason }}”, {{ r.versions[0]?.by }}</p>
    </div>
    <div v-if="r.stopped" class="box" :class="r.stopped.symptoms ? 'stop' : 'care'">
      <p class="headline">{{ r.stopped.sentence }}</p>
      <p v-if="r.stopped.note">{{ r.stopped.note }}</p>
      <p v-if="r.stopped.symptoms">
        <b>Stop and refer:</b> no more testing until a doctor has looked. Note what was reported and when; follow the local rules.
      </p>
      <p class="soft">A stopped test gets no score, and its retest stays open.</p>
    </div>

    <template v-if="r.report && main">
      <p class="lead">{{ r.ride?.sentence ?? r.report.headline }}</p>
      <div class="two">
        <div>
          <RideTable v-if="r.ride" :ride="r.ride"><button type="button" class="why" @click="ask(main)">Why?</button></RideTable>
          <BodyMap v-if="r.body_map" :map="r.body_map" :values="girths" :changes="moved" />
          <section v-for="q in shown" :key="q.key" class="quantity">
            <div class="figure">
              <span class="label">{{ q.label }}</span>
              <template v-if="q.value != null">
                <small v-if="q.at_least" class="unit">at least</small>
                <span class="value" :class="{ first: q.key === main.key }">{{ q.shown }}</span>
                <span class="unit">{{ q.unit }}</span>
                <button type="button" class="why" @click="ask(q)">Why?</button>
              </template>
            </div>
            <p v-if="q.refused" class="box care">{{ q.refused }}</p>
            <p v-if="q.range && q.value != null" class="range">{{ q.range.sentence }}</p>
            <p v-if="q.range?.warning && q.value != null" class="box care">{{ q.range.warning }}</p>
            <p v-if="q.working && q.value != null" class="num working">{{ q.working.filled }}</p>
            <p v-if="q.resolution" class="soft">{{ q.resolution }}</p>
            <p v-if="q.independence != null && q.value != null" class="soft">
              Under about {{ q.independence }} {{ q.unit }} living independently becomes hard at this age.
            </p>
            <p v-if="q.pass" class="pass" :class="{ met: q.pass.met }">
              <span aria-hidden="true">{{ q.pass.met ? "✓" : "○" }}</span> {{ q.pass.sentence }} <small class="soft">common practice</small>
            </p>
            <NormRule
              v-for="n in q.norms"
              :key="n.table"
              :norm="n"
              :value="q.value!"
              :shown="q.shown"
              :last="lastOf(q.key)"
              :unit="q.unit"
            />
          </section>
          <section v-if="choice" class="line">
            <h2>Why these stages are enough</h2>
            <Extrapolation :line="choice.line" :range="choice.stored ? main.range : null" />
            <div class="methods">
              <span id="methods">Maximal heart rate by</span>
              <ElRadioGroup
                :model-value="choice.method"
                aria-labelledby="methods"
                @update:model-value="(v: unknown) => (method = String(v))"
              >
                <ElRadioButton v-for="c in r.hr_max_choices" :key="c.method" :value="c.method"
                  >{{ c.formula }}{{ c.stored ? " (stored)" : "" }}</ElRadioButton
                >
              </ElRadioGroup>
              <p v-if="!choice.stored && choice.line.vo2max != null" class="soft">
                The stored result stays. By this rule it would be {{ choice.line.vo2max.toFixed(1) }} mL/kg/min.
              </p>
            </div>
          </section>
          <div class="below">
            <ReadingsList v-if="r.readings.length" :readings="r.readings" :remarks="r.remarks" :conditions="r.report?.conditions" />
            <ResultVersions :r="r" @changed="reload" />
          </div>
        </div>
        <aside>
          <section v-if="r.report.failed.length" class="failed">
            <h2>What was not met</h2>
            <ul>
              <li v-for="f in r.report.failed" :key="f.point">
                <b>{{ f.point }}</b><template v-if="f.often">: often {{ f.often }}</template>
              </li>
            </ul>
            <p class="soft">{{ r.report.work }}</p>
          </section>
          <section v-if="r.report.flags.length" class="box care flags">
            <h2>Keep in mind</h2>
            <p v-for="f in r.report.flags" :key="f.message">{{ f.message }}</p>
          </section>
          <section v-if="r.ride">
            <h2>What counts as a change</h2>
            <p>{{ r.ride.measurement_error }}</p>
            <p>
              How it has gone:
              <RouterLink :to="`/people/${r.person}/trend/${r.protocol}/mean_power_3`">power</RouterLink>,
              <RouterLink :to="`/people/${r.person}/trend/${r.protocol}/hrr60`">recovery</RouterLink>
            </p>
          </section>
          <section v-else>
            <h2>Is it real?</h2>
            <ChangeLine v-if="change?.since_last" :change="change.since_last" since="the last test" />
            <ChangeLine v-if="change?.since_first" :change="change.since_first" since="the first test" />
            <p v-if="!change?.since_last">The first test of its kind. The next one, under the same conditions, will show the change.</p>
            <RouterLink :to="`/people/${r.person}/trend/${r.protocol}/${main.key}`">See the trend</RouterLink>
          </section>
          <RetestPlanner
            :key="r.retests.length"
            :person="r.person"
            :protocol="r.protocol"
            :from="r.on > r.today ? r.on : r.today"
            :kept="r.retests"
            :weeks="r.retest_weeks"
            @kept="reload"
          />
        </aside>
      </div>
      <WhySheet v-model="why" :quantity="asked" :page="r" />
    </template>
    <div v-else class="two">
      <ReadingsList v-if="r.readings.length" :readings="r.readings" :remarks="r.remarks" :conditions="r.report?.conditions" />
      <p v-else class="soft">Nothing had been read.</p>
      <aside>
        <ResultVersions :r="r" @changed="reload" />
        <RetestPlanner
          v-if="!r.voided"
          :key="r.retests.length"
          :person="r.person"
          :protocol="r.protocol"
          :from="r.today"
          :kept="r.retests"
          :weeks="r.retest_weeks"
          @kept="reload"
        />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.pass {
  margin: 6px 0;
  font-weight: 600;
}
.pass.met span {
  color: var(--fjord);
}
.pass small {
  font-weight: 400;
}
.line {
  max-width: 560px;
  border-top: 1px solid var(--line);
  padding-top: 14px;
}
.methods {
  margin-top: 8px;
}
.methods > span {
  display: block;
  color: var(--soft);
  margin-bottom: 4px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: 40px;
  margin-top: 18px;
}
.lead {
  font-size: 21px;
  max-width: none;
}
.headline {
  font-size: 20px;
  font-weight: 650;
}
.quantity {
  margin-bottom: 30px;
}
.figure {
  display: flex;
  align-items: baseline;
  gap: 12px;
  flex-wrap: wrap;
}
.label {
  flex-basis: 100%;
  color: var(--soft);
  font-weight: 650;
  line-height: 1.1;
}
.label::first-letter {
  text-transform: uppercase;
}
.value {
  font-size: 44px;
  font-weight: 600;
  line-height: 1.15;
  letter-spacing: -1px;
  font-variant-numeric: tabular-nums;
}
.value.first {
  font-size: 76px;
  letter-spacing: -3px;
}
.range {
  font-size: 19px;
  margin-bottom: 4px;
}
.unit {
  font-size: 20px;
  color: var(--soft);
}
.why {
  margin-left: auto;
  font: 600 16px var(--text);
  color: var(--fjord);
  background: none;
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 8px 16px;
  cursor: pointer;
}
.working {
  margin: 4px 0 0;
}
.flags {
  margin-bottom: 22px;
}
.flags p {
  font-size: 15px;
}
aside section {
  margin-bottom: 22px;
}
.below {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 28px 40px;
  border-top: 1px solid var(--line);
  padding-top: 18px;
}
@media (max-width: 980px) {
  .two {
    grid-template-columns: 1fr;
    gap: 12px;
  }
}
</style>
