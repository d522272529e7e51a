<script setup lang="ts">
import { ref } from "vue";
import { api, take } from "@/api/client";
import type { RetestLine } from "@/api/types";
import DueRow from "@/components/DueRow.vue";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { dayName, dayShort } from "@/composables/dates";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";

const { data: page, failure, loading, reload } = useLoad(() => take(api.GET("/api/retests")));
const skipping = ref<RetestLine | null>(null);
const reason = ref("");
const { busy, failure: refused, run } = useAction();

async function skip() {
  const line = skipping.value!;
  const done = await run(async () => {
    await take(api.POST("/api/retests/{id}/skip", { params: { path: { id: line.id } }, body: { reason: reason.value } }));
    return true;
  });
  if (!done) return;
  skipping.value = null;
  reason.value = "";
  await reload();
}
async function unskip(line: RetestLine) {
  await run(() => take(api.DELETE("/api/retests/{id}/skip", { params: { path: { id: line.id } } })));
  await reload();
}
const settled = (l: RetestLine) =>
  l.status === "skipped"
    ? "skipped"
    : l.status === "done_late"
      ? `done ${l.late_days} ${l.late_days === 1 ? "day" : "days"} late`
      : "done on time";
</script>

<template>
  <PageState v-if="!page" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <h1>Retests</h1>
      <span class="grow"></span>
      <a class="export" href="/api/retests.ics" download="retests.ics">Calendar file</a>
    </div>
    <FailureNote :failure="refused" />
    <section
      v-for="[title, lines, tone] in [
        ['Late', page.overdue, 'late'],
        ['Today', page.due_today, 'now'],
        ['To come', page.upcoming, 'soon'],
      ] as const"
      v-show="lines.length"
      :key="title"
    >
      <h2>{{ title }}</h2>
      <ul class="rows">
        <li v-for="line in lines" :key="line.id" class="line">
          <DueRow :line="line" :tone="tone" />
          <button type="button" class="skip" :aria-label="`Skip ${line.name}, ${dayName(line.due_on)}`" @click="skipping = line">
            Skip
          </button>
        </li>
      </ul>
    </section>
    <p v-if="!page.overdue.length && !page.due_today.length && !page.upcoming.length" class="lead">
      No retest is planned in the next three months. Open a result and pick a rule.
    </p>
    <section v-if="page.settled.length">
      <h2>Settled in the last three months</h2>
      <ul class="rows">
        <li v-for="l in page.settled" :key="l.id">
          <div class="row-link">
            <span class="who"
              ><RouterLink :to="l.result ? `/results/${l.result}` : `/people/${l.person}`">{{ l.name }}</RouterLink
              ><small>{{ l.protocol_name }}</small></span
            >
            <span class="soft">{{ dayShort(l.due_on) }}</span>
            <span class="what" :class="l.status"
              >{{ settled(l) }}<small v-if="l.skip_reason">{{ l.skip_reason }}</small></span
            >
            <button v-if="l.status === 'skipped'" type="button" class="skip" :disabled="busy" @click="unskip(l)">Take back</button>
          </div>
        </li>
      </ul>
    </section>
    <ElDialog
      :model-value="skipping !== null"
      :title="skipping ? `Skip ${skipping.name}’s test of ${dayName(skipping.due_on)}` : ''"
      width="min(460px, 94vw)"
      @update:model-value="skipping = null"
    >
      <form @submit.prevent="skip">
        <label class="field"
          ><span class="name">Why?</span><ElInput v-model="reason" placeholder="ill, away, match the day before…" autofocus
        /></label>
        <FailureNote :failure="refused" />
        <ElButton type="primary" native-type="submit" :disabled="!reason.trim()" :loading="busy">Skip it</ElButton>
      </form>
    </ElDialog>
  </div>
</template>

<style scoped>
section {
  margin-bottom: 28px;
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
}
.line > :first-child {
  flex: 1;
  min-width: 0;
}
.skip {
  font: 600 16px var(--text);
  min-height: 44px;
  padding: 8px 14px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
.export {
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 10px 18px;
  font-weight: 600;
  text-decoration: none;
}
.who {
  flex: 1;
}
.who a {
  font-weight: 650;
  color: var(--ink);
}
small {
  display: block;
  color: var(--soft);
  font-size: 14px;
}
.what {
  width: 190px;
}
.what.done_late,
.what.skipped {
  color: var(--ochre);
}
@media (max-width: 560px) {
  .what {
    width: 110px;
  }
}
</style>
