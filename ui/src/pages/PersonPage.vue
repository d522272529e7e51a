<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import ChangeLadder from "@/components/ChangeLadder.vue";
import FoldSection from "@/components/FoldSection.vue";
import GoalBox from "@/components/GoalBox.vue";
import LifeEventBox from "@/components/LifeEventBox.vue";
import MeasureTable from "@/components/MeasureTable.vue";
import RangeBars from "@/components/RangeBars.vue";
import PageState from "@/components/PageState.vue";
import TimeLine from "@/components/TimeLine.vue";
import { dayName, dayShort, dayYear } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";

const props = defineProps<{ id: string }>();
const { data: p, failure, loading, reload } = useLoad(() => take(api.GET("/api/people/{id}", { params: { path: { id: props.id } } })));
/** So many rows are seen at once; the rest is a press away. */
const RUNGS = 6;
const MEASURES = 8;
const [allRungs, allMeasures] = [ref(false), ref(false)];
const rungs = computed(() => (allRungs.value ? p.value!.ladder : p.value!.ladder.slice(0, RUNGS)));
const measures = computed(() => (allMeasures.value ? p.value!.measures : p.value!.measures.slice(0, MEASURES)));
const next = computed(() => p.value?.retests[0]);
const assess = computed(() => (p.value?.readiness?.is_today ? `/people/${props.id}/assess` : `/people/${props.id}/readiness`));
/** One key leads to the visit: the one that is open, the last one's battery again, or the choice of a battery. */
const visit = computed(() => {
  const last = p.value?.visits[0];
  if (!last) return { to: `/people/${props.id}/visits`, says: "Start visit" };
  if (!last.closed) return { to: `/visits/${last.id}/floor`, says: `Continue ${last.battery_name}` };
  return { to: `/people/${props.id}/visits/new?battery=${last.battery}`, says: `${last.battery_name} again` };
});
const router = useRouter();
onKeyStroke("v", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || (event.target as HTMLElement).closest("input, textarea, select, dialog")) return;
  event.preventDefault();
  void router.push(visit.value.to);
});
const about = computed(() => {
  const f = p.value?.form;
  if (!f) return "";
  const since = p.value!.tests.at(-1)?.on ?? p.value!.since;
  return [p.value!.age, f.occupation, `with us since ${dayYear(since)}`].filter(Boolean).join(" · ");
});
const care = computed(() => {
  const f = p.value?.form;
  if (!f) return [];
  const lines: string[] = [];
  if (f.rate_limiting_drug) lines.push("Takes a medicine that lowers the heart rate: use no test that is based on heart rate.");
  if (f.medicines) lines.push(`Medicines: ${f.medicines}.`);
  if (p.value!.age !== null && p.value!.age! < 18) lines.push("Under 18: follow the local rules on consent, supervision and data.");
  if (!f.sex) lines.push("No sex on record: estimates that exist only for men and women separately are left out.");
  return lines;
});
</script>

<template>
  <PageState v-if="!p" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ p.form.name }}</h1>
        <div class="soft">{{ p.made_up ? `made-up · ${about}` : about }}</div>
        <div v-if="p.groups.length" class="soft">
          In
          <template v-for="(of, k) in p.groups" :key="of.id"
            ><template v-if="k">, </template><RouterLink :to="`/groups/${of.id}`">{{ of.name }}</RouterLink></template
          >
        </div>
        <div v-if="p.form.goal" class="goal">Goal: “{{ p.form.goal }}”</div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/people/${id}/edit`" class="quiet">Change</RouterLink>
      <RouterLink :to="assess" class="quiet">One test</RouterLink>
      <RouterLink :to="visit.to" class="go">{{ visit.says }} <kbd>V</kbd></RouterLink>
    </div>
    <p class="box story">{{ p.story }}</p>

    <div class="two">
      <div>
        <FoldSection v-if="p.ladder.length" first title="Change since the first test, in smallest detectable changes">
          <ChangeLadder :rungs="rungs" :person="id" />
          <p class="soft legend">
            Shaded: measurement error. Open dot: first test. Block: now. Better is to the right.
            <button v-if="p.ladder.length > RUNGS" type="button" class="link" @click="allRungs = !allRungs">
              {{ allRungs ? "Show the largest" : `Show all ${p.ladder.length}` }}
            </button>
          </p>
        </FoldSection>
        <FoldSection v-if="p.measures.length" title="Measures" :brief="`${p.measures.length}`">
          <MeasureTable :measures="measures" :person="id" />
          <button v-if="p.measures.length > MEASURES" type="button" class="link" @click="allMeasures = !allMeasures">
            {{ allMeasures ? "Show fewer" : `Show all ${p.measures.length}` }}
          </button>
          <p class="after no-print"><a :href="`/api/people/${id}/measures.csv`" download>Export every result (CSV)</a></p>
        </FoldSection>
        <FoldSection v-if="p.vo2max" title="VO₂max by method" :brief="p.vo2max.best?.shown ?? ''">
          <template v-if="p.vo2max.best">
            <p class="best">
              <b class="num">{{ p.vo2max.best.shown }}</b> {{ p.vo2max.best.sentence }}
            </p>
            <p v-if="p.vo2max.best.warning" class="box care" role="note">{{ p.vo2max.best.warning }}</p>
            <RangeBars :combined="p.vo2max" />
          </template>
          <p v-else>No VO₂max can be built on: {{ p.vo2max.left_out[0]?.why }}</p>
          <p class="soft legend">
            {{ p.vo2max.weeks }} weeks to {{ dayShort(p.vo2max.until) }}.
            <RouterLink :to="`/people/${id}/vo2max`">How it was combined, and over time</RouterLink>
          </p>
        </FoldSection>
        <FoldSection title="Time line" :brief="`${p.tests.length} tests`">
          <p v-if="!p.tests.length">No tests yet. <RouterLink :to="assess">Start with readiness</RouterLink>.</p>
          <TimeLine v-else :page="p" />
          <p v-if="p.visits.length" class="after"><RouterLink :to="`/people/${id}/visits`">Start another battery</RouterLink></p>
        </FoldSection>
      </div>
      <aside>
        <div class="box">
          <h2>Next retest</h2>
          <template v-if="next">
            <div class="due">{{ dayName(next.due_on) }}</div>
            <p :class="{ late: next.status === 'overdue' }">{{ next.spoken }} · {{ next.rule }}</p>
            <p class="soft">{{ next.protocol_name }}</p>
          </template>
          <p v-else>None planned. Open a result to plan one.</p>
        </div>
        <div v-if="care.length" class="box care">
          <h2>Before testing</h2>
          <p v-for="line in care" :key="line">{{ line }}</p>
        </div>
        <div v-if="p.readiness" class="box">
          <h2>Readiness, {{ p.readiness.is_today ? "today" : dayShort(p.readiness.on) }}</h2>
          <p>{{ p.readiness.advice.headline }}</p>
          <p v-if="p.readiness.overrule_reason" class="soft">Overruled: {{ p.readiness.overrule_reason }}</p>
          <RouterLink :to="`/people/${id}/readiness`">{{ p.readiness.is_today ? "Ask again" : "Ask today" }}</RouterLink>
        </div>
        <FoldSection title="Goals and events" :brief="p.goals.length ? `${p.goals.length} goals` : ''" class="folds">
          <GoalBox :person="id" :goals="p.goals" :aims="p.aims" @changed="reload" />
          <LifeEventBox :person="id" :events="p.events" @changed="reload" />
        </FoldSection>
        <div class="box">
          <h2>Photographs</h2>
          <RouterLink :to="`/people/${id}/photos`">Take photos, or compare two days</RouterLink>
        </div>
        <div v-if="p.form.notes" class="box">
          <h2>Notes</h2>
          <p class="notes">{{ p.form.notes }}</p>
        </div>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.goal {
  margin-top: 2px;
}
.story {
  font-size: 19px;
  margin-bottom: 24px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 280px;
  gap: 32px;
}
section {
  margin-bottom: 26px;
}
.best {
  margin: 0 0 6px;
}
.best b {
  font-size: 28px;
}
.legend {
  font-size: 15px;
  margin-top: 8px;
}
aside .box {
  margin-bottom: 14px;
}
.due {
  font-size: 25px;
  font-weight: 650;
  line-height: 1.2;
}
.late {
  color: var(--ochre);
  font-weight: 650;
}
.notes {
  white-space: pre-wrap;
}
.after {
  margin: 8px 0 0;
}
/* Beside the page its parts are boxes with headings of their own. */
.folds > :deep(h2:first-child:not(:has(button))) {
  display: none;
}
.go,
.quiet {
  border-radius: 8px;
  padding: 10px 20px;
  font-weight: 650;
  text-decoration: none;
  border: 1px solid var(--fjord);
}
.go {
  background: var(--fjord);
  color: var(--on-fjord);
}
@media (max-width: 980px) {
  .two {
    grid-template-columns: 1fr;
  }
}
.go kbd {
  margin-left: 6px;
  color: inherit;
  border-color: color-mix(in srgb, currentcolor 55%, transparent);
}
</style>
