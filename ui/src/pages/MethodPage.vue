<script setup lang="ts">
import { computed } from "vue";
import { ofFamily } from "@/logic/procedure";
import { api, take } from "@/api/client";
import type { MethodPage as Page } from "@/api/types";
import CopyBox from "@/components/CopyBox.vue";
import MarkBox from "@/components/MarkBox.vue";
import MeasurementErrorBox from "@/components/MeasurementErrorBox.vue";
import PageState from "@/components/PageState.vue";
import BodyMap from "@/components/BodyMap.vue";
import PictureBox from "@/components/PictureBox.vue";
import RowTime from "@/components/RowTime.vue";
import { sentence } from "@/logic/sheet";
import { useLoad } from "@/composables/useLoad";

const props = defineProps<{ id: string }>();
const { data: m, failure, loading, reload } = useLoad(() => take(api.GET("/api/protocols/{id}", { params: { path: { id: props.id } } })));
const kind = (s: { kind: string; recalled?: boolean }) =>
  `${s.kind === "published" ? "published" : "common practice"}${s.recalled ? ", recalled" : ""}`;
const count = computed(() => ofFamily(m.value?.protocol.procedure, "counted_recovery"));
const stages = computed(() => ofFamily(m.value?.protocol.procedure, "staged_steady_state"));
const schedule = computed(() => ofFamily(m.value?.protocol.procedure, "audio_paced"));
const legs = computed(() => ofFamily(m.value?.protocol.procedure, "attempts")?.legs ?? []);
/** Where nothing is said of the work, its phase says what the test is: that stands above already. */
const said = computed(() => {
  const all = m.value?.protocol.phases ?? [];
  return m.value?.protocol.prepare?.length ? all.filter((p) => p.cue !== m.value?.protocol.summary) : all;
});
/** Stages that are tried one after the other. */
const tried = computed(() => legs.value.flatMap((leg) => (leg.take.kind === "ladder" ? leg.take.stages : [])));
/** What costs in a movement, said once however many movements look for it. */
const costs = computed(() => [
  ...new Set(legs.value.flatMap((leg) => (leg.take.kind === "seen" ? leg.take.keys.map((k) => k.label) : []))),
]);
const counting = computed(() => legs.value.flatMap((leg) => (leg.take.kind === "count" ? [leg.take.rule] : [])));
</script>

<template>
  <PageState v-if="!m" :failure="failure" :loading="loading" @again="reload" />
  <article v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ m.protocol.name }}</h1>
        <div class="soft">
          {{ m.protocol.minutes }} minutes · <span class="num">{{ m.protocol.id }}</span> · version {{ m.protocol.version }}
        </div>
      </div>
    </div>
    <p class="lead">{{ m.protocol.summary }} {{ m.protocol.tells }}</p>
    <p class="actions">
      <RouterLink v-if="m.rehearsed" :to="`/rehearsals/new?protocol=${id}`">Rehearse it</RouterLink>
      <RouterLink v-if="m.in_pairs" to="/classes/new">Run it with a class</RouterLink>
    </p>
    <div v-if="m.drawings.length" class="pictures">
      <PictureBox v-for="d in m.drawings" :key="d.caption" :drawing="d" />
      <BodyMap v-if="m.body_map" :map="m.body_map" />
    </div>
    <div class="two">
      <div>
        <h2>How it is run</h2>
        <ol>
          <li v-for="s in m.protocol.prepare" :key="s.id">
            <b>{{ s.label }}.</b> {{ s.detail }}
          </li>
          <li v-for="s in said" :key="s.id">
            <b
              >{{ s.label }}<template v-if="s.seconds">, {{ s.seconds }} s</template
              ><template v-else-if="s.beats">, {{ s.beats }} beats</template>.</b
            >
            {{ s.cue }}
          </li>
        </ol>
        <p v-if="m.protocol.cadence">
          Beat: <template v-if="m.protocol.cadence.any">{{ m.protocol.cadence.any }} a minute</template
          ><template v-else>{{ m.protocol.cadence.male }} a minute for men, {{ m.protocol.cadence.female }} for women</template>;
          {{ m.protocol.cadence.places.join(", ") }}. More than {{ m.protocol.cadence.off_by }} steps or revolutions off for
          {{ m.protocol.cadence.off_for_s }} s is called and noted; the test goes on.
        </p>
        <template v-if="tried.length">
          <p><b>The stages.</b> From the easiest on:</p>
          <ol>
            <li v-for="stage in tried" :key="stage">{{ sentence(stage) }}</li>
          </ol>
        </template>
        <p v-if="costs.length"><b>What is looked for.</b> {{ sentence(costs.map((c) => c.toLowerCase()).join(", ")) }}.</p>
        <p v-for="rule in counting" :key="rule"><b>What counts.</b> {{ rule }}</p>
        <p v-if="count"><b>The count.</b> {{ count.rule }}</p>
        <template v-if="stages">
          <h2>What is decided on the way</h2>
          <ul>
            <li>
              Heart rate at minutes {{ stages.read_at.join(" and ") }}; within {{ stages.agree_within_bpm }} bpm is steady, else one minute
              more, up to minute {{ stages.until_minute }}.
            </li>
            <li v-if="stages.goal.kind === 'band'">The mean must lie between {{ stages.goal.low }} and {{ stages.goal.high }} bpm.</li>
            <li v-else>
              Stages count from {{ stages.goal.from_bpm }} bpm up to the ceiling; {{ stages.goal.stages }} in a row complete the test.
            </li>
            <li v-for="n in stages.load?.by_heart_rate ?? []" :key="n.kgm_min">
              Stage 2 at {{ n.kgm_min }} kgm/min where the heart rate {{ n.because }}.
            </li>
          </ul>
        </template>
        <template v-if="schedule">
          <h2>Schedule</h2>
          <p class="num schedule">
            <span v-for="l in schedule.levels" :key="l.level">{{ l.level }}: {{ l.speed_kmh }} km/h × {{ l.shuttles }}</span>
          </p>
        </template>
        <h2>What is computed, for example</h2>
        <div v-for="e in m.examples" :key="e.who + e.method" class="eq">
          <span class="soft"
            >{{ e.who }}<template v-if="e.method !== 'formula'"> · {{ e.method }}</template></span
          >
          <span class="num">{{ e.working.formula }}</span>
          <span class="num"
            ><b>{{ e.working.filled }}</b></span
          >
        </div>
        <template v-if="m.range_note">
          <h2>How far an estimate may be off</h2>
          <p>{{ m.range_note }}</p>
        </template>
        <template v-if="m.patterns.length">
          <h2>What two rides say together</h2>
          <ul>
            <li v-for="words in m.patterns" :key="words">{{ words }}</li>
          </ul>
        </template>
        <RowTime v-if="m.protocol.inputs.some((i) => i.inverse)" />
        <h2>Sources</h2>
        <p v-for="s in m.protocol.sources" :key="s.of" class="cite">
          <b>{{ s.of }}:</b> {{ s.citation }}. <i>{{ kind(s) }}</i>
        </p>
        <p v-for="t in m.tables" :key="t.id" class="cite">
          <b>table {{ t.id }}:</b> {{ t.source }}. {{ t.population }}. <i>{{ t.status }}</i>
        </p>
      </div>
      <aside>
        <CopyBox :protocol="m.protocol as Page['protocol']" />
        <h2>Equipment</h2>
        <ul>
          <li v-for="e in m.protocol.equipment" :key="e.what">{{ e.what }}</li>
        </ul>
        <h2>Cautions</h2>
        <ul>
          <li v-for="c in m.protocol.cautions" :key="c.text">{{ c.text }}</li>
        </ul>
        <h2>Not suitable for</h2>
        <ul>
          <li v-for="u in m.protocol.unsuited" :key="u.when">{{ u.why }}</li>
        </ul>
        <h2>What must be the same to compare</h2>
        <ul>
          <li v-for="c in m.protocol.conditions" :key="c.key">
            <b>{{ c.label }}</b>: {{ c.why }}
          </li>
        </ul>
        <MarkBox :page="m as Page" @changed="reload" />
        <MeasurementErrorBox :protocol="id" :errors="m.measurement_errors" @changed="reload" />
      </aside>
    </div>
  </article>
</template>

<style scoped>
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 240px), 300px));
  gap: 14px 32px;
  margin: 14px 0;
}
.schedule {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  font-size: 15px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr);
  gap: 44px;
  margin-top: 22px;
}
h2:not(:first-child) {
  margin-top: 22px;
}
ol,
ul {
  padding-left: 22px;
  margin: 0 0 10px;
}
li {
  margin-bottom: 5px;
}
.eq {
  display: flex;
  flex-direction: column;
  border-top: 1px solid var(--line);
  padding: 8px 0;
}
.cite {
  font-size: 15px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
    gap: 8px;
  }
}
</style>
