<script setup lang="ts">
import { computed } from "vue";
import { ofFloor } from "@/logic/floor";
import { api, take } from "@/api/client";
import Extrapolation from "@/components/Extrapolation.vue";
import PageState from "@/components/PageState.vue";
import { useLoad } from "@/composables/useLoad";

/** How a rehearsal went: the estimate against the truth, every reading, every fault. */
const props = defineProps<{ id: string }>();
const { data: view, failure, loading, reload } = useLoad(() => take(api.GET("/api/runs/{id}", { params: { path: { id: props.id } } })));
/** A squad that was recorded: each runner’s score beside what it should be. */
const ofSquad = computed(() => view.value?.board?.kind === "line");
const line = computed(() => ofFloor(view.value?.state, "staged")?.line ?? null);
</script>

<template>
  <PageState v-if="!view" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>How the rehearsal went</h1>
        <div class="soft">{{ view.protocol_name }} · not on anybody’s record</div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/rehearsals/new?protocol=${view.protocol}`">Another one</RouterLink>
    </div>
    <template v-if="view.rehearsal?.report">
      <p class="lead">{{ view.rehearsal.report.sentence }}</p>
      <div class="two">
        <div>
          <section v-if="view.rehearsal.report.faults.length">
            <h2>{{ ofSquad ? "What was recorded wrongly, and who stopped" : "What went wrong" }}</h2>
            <ul class="rows">
              <li v-for="f in view.rehearsal.report.faults" :key="f.what" class="fault" :class="{ missed: !f.noticed }">
                <b>{{ ofSquad ? (f.noticed ? "✓ right" : "✕ wrong") : f.noticed ? "✓ noticed" : "✕ missed" }}</b>
                <span>{{ f.what }} {{ f.then }}</span>
              </li>
            </ul>
          </section>
          <section v-if="line"><Extrapolation :line="line" /></section>
        </div>
        <section v-if="view.rehearsal.report.readings.length">
          <h2>{{ ofSquad ? `Scores, ${view.rehearsal.report.unit}` : "What was read, and what it was" }}</h2>
          <table>
            <thead>
              <tr>
                <template v-if="ofSquad">
                  <th>Runner</th>
                  <th>recorded</th>
                  <th>should be</th>
                  <th>because</th>
                </template>
                <template v-else>
                  <th>Reading</th>
                  <th>read</th>
                  <th>truth</th>
                  <th>when</th>
                </template>
              </tr>
            </thead>
            <tbody>
              <tr v-for="r in view.rehearsal.report.readings" :key="r.label">
                <td>{{ r.label }}</td>
                <td class="num" :class="{ off: ofSquad && r.read !== r.truth }">{{ r.read }}</td>
                <td class="num">{{ r.truth }}</td>
                <td class="soft">{{ r.when }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="view.rehearsal.report.missed.length" class="missing">
            {{ ofSquad ? "Never taken out" : "Never read" }}: {{ view.rehearsal.report.missed.join("; ") }}.
          </p>
        </section>
      </div>
    </template>
    <p v-else>This rehearsal is not over yet. <RouterLink :to="`/runs/${id}`">Back to the test</RouterLink></p>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 32px 44px;
}
.missing {
  margin-top: 14px;
}
section + section {
  margin-top: 28px;
}
.fault {
  display: flex;
  gap: 16px;
  padding: 12px 4px;
}
.fault b {
  color: var(--fjord);
  white-space: nowrap;
}
.fault.missed b {
  color: var(--madder);
}
table {
  border-collapse: collapse;
  width: 100%;
}
.off {
  color: var(--madder);
  font-weight: 650;
}
th,
td {
  text-align: right;
  padding: 7px 8px;
  border-bottom: 1px solid var(--line);
  font-weight: 400;
  white-space: nowrap;
}
th {
  color: var(--soft);
}
th:first-child,
td:first-child,
th:last-child,
td:last-child {
  text-align: left;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
