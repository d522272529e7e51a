<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { RetestLine, RetestsPage } from "@/api/types";
import DueRow from "@/components/DueRow.vue";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { dayName, dayShort } from "@/logic/dates";
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
/** The next page of a part, behind what is shown already. */
async function more(key: keyof RetestsPage) {
  const after = page.value?.[key].next;
  if (!after) return;
  const part = await run(() => take(api.GET("/api/retests/part/{part}", { params: { path: { part: key }, query: { after } } })));
  if (part && page.value) page.value = { ...page.value, [key]: { ...part, lines: [...page.value[key].lines, ...part.lines] } };
}
const parts = computed(() => {
  const p = page.value;
  if (!p) return [];
  return (
    [
      ["Late", "overdue", "late"],
      ["Today", "due_today", "now"],
      ["To come", "upcoming", "soon"],
    ] as const
  ).map(([title, key, tone]) => ({ title, key, tone, ...p[key] }));
});
/** How many there are, where not all of them are shown. */
const counted = (part: { lines: unknown[]; total?: string | null; next?: string | null }) =>
  part.next && part.total != null ? `${part.lines.length} of ${part.total}` : "";
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
    <section v-for="part in parts" v-show="part.lines.length" :key="part.key">
      <h2>
        {{ part.title }} <span class="counted">{{ counted(part) }}</span>
      </h2>
      <ul class="rows">
        <li v-for="line in part.lines" :key="line.id" class="line">
          <DueRow :line="line" :tone="part.tone" />
          <button type="button" class="skip" :aria-label="`Skip ${line.name}, ${dayName(line.due_on)}`" @click="skipping = line">
            Skip
          </button>
        </li>
      </ul>
      <button v-if="part.next" type="button" class="skip more" :disabled="busy" @click="more(part.key)">Show more</button>
    </section>
    <p v-if="parts.every((p) => !p.lines.length)" class="lead">
      No retest is planned in the next three months. Open a result and pick a rule.
    </p>
    <section v-if="page.settled.lines.length">
      <h2>Settled in the last three months</h2>
      <ul class="rows">
        <li v-for="l in page.settled.lines" :key="l.id">
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
      <button v-if="page.settled.next" type="button" class="skip more" :disabled="busy" @click="more('settled')">Show more</button>
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
.more {
  margin-top: 10px;
}
.counted {
  font-weight: 400;
  margin-left: 8px;
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
