<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, nextTick, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take, type Failure } from "@/api/client";
import type { AssessPage, EntryForm, VisitPage, VisitEvent } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import PaperTest from "@/components/PaperTest.vue";
import { dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { given } from "@/logic/conditions";
import { emptyPaper, isEmptyPaper, type Paper } from "@/logic/paper";

/** A whole visit from paper: every test that is still to come on one page, each saved in its order. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const path = { id: props.id };
interface Test {
  /** The result's key: saved twice is saved once. */
  id: string;
  paper: Paper;
  left: boolean;
  reason: string;
}
const { draft, clear } = useDraft(`paper.${props.id}`, { tests: {} as Record<number, Test> });
const {
  data,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => {
  const visit = await take(api.GET("/api/visits/{id}", { params: { path } }));
  const test = async (row: VisitPage["rows"][number]) => {
    const of = { id: visit.person, protocol: row.protocol };
    const query = { visit: props.id, place: row.place };
    const page = await take(api.GET("/api/people/{id}/assess/{protocol}", { params: { path: of, query } }));
    draft.value.tests[row.place] ??= {
      id: uuid(),
      paper: { ...emptyPaper(), given: given(page.suggested, page.protocol.conditions, page.units) },
      left: false,
      reason: "",
    };
    return { row, page: page as AssessPage };
  };
  const tests = await Promise.all(visit.rows.filter((r) => r.stand === "to_come").map((row) => test(row as VisitPage["rows"][number])));
  return { visit, tests };
});
const title = computed(() => data.value && `${data.value.visit.battery_name}, ${dayYear(data.value.visit.on)}`);

const saved = ref<number[]>([]);
const open = computed(() => data.value?.tests.filter(({ row }) => !saved.value.includes(row.place)) ?? []);
/** What is wrong, and in which test. */
const wrong = ref<{ place: number; failure: Failure | { field?: string | null; message: string } } | null>(null);
type PaperForm = InstanceType<typeof PaperTest>;
const forms = ref<Record<number, PaperForm | null>>({});
const { busy, failure, run } = useAction();
const at = (place: number) => (wrong.value?.place === place ? wrong.value.failure : null);
/** A message that no field of the test shows. */
const beside = (place: number) => {
  const found = at(place);
  return found && !forms.value[place]?.known.has(found.field ?? "") ? found.message : null;
};
async function stopAt(place: number, why: { field?: string | null; message: string } | null) {
  if (why) wrong.value = { place, failure: why };
  await nextTick();
  document.getElementById(`test-${place}`)?.scrollIntoView({ block: "start" });
}
async function append(event: VisitEvent) {
  return run(() => take(api.POST("/api/visits/{id}/events", { params: { path }, body: { id: uuid(), event } })));
}
async function save() {
  wrong.value = null;
  const { visit } = data.value!;
  // First everything is looked at, then everything is saved: nothing is half done because of a slip further down.
  const ready: { row: VisitPage["rows"][number]; body: EntryForm | null }[] = [];
  for (const { row } of open.value) {
    const test = draft.value.tests[row.place]!;
    if (test.left) {
      if (!row.optional && !test.reason.trim()) return stopAt(row.place, { message: "Give a reason for skipping it." });
      ready.push({ row, body: null });
      continue;
    }
    if (isEmptyPaper(test.paper)) return stopAt(row.place, { message: "Type the readings, or tick “skipped”." });
    const read = forms.value[row.place]?.read();
    if (!read) return stopAt(row.place, null);
    ready.push({ row, body: { id: test.id, protocol: row.protocol, on: visit.on, visit: { visit: props.id, place: row.place }, ...read } });
  }
  for (const { row, body } of ready) {
    const done = body
      ? await run(() => take(api.POST("/api/people/{id}/results", { params: { path: { id: visit.person } }, body: body })))
      : await append({ kind: "skipped", place: row.place, reason: draft.value.tests[row.place]!.reason.trim() || null });
    if (!done) return stopAt(row.place, failure.value);
    saved.value.push(row.place);
  }
  await append({ kind: "closed" });
  clear();
  await router.push(`/visits/${props.id}`);
}
</script>

<template>
  <PageState v-if="!data" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="save">
    <div class="page-head">
      <div>
        <h1>{{ title }}</h1>
        <div class="soft">{{ data.visit.name }} · from paper, all tests on one page</div>
      </div>
      <span class="grow"></span>
      <RouterLink :to="`/visits/${id}/floor`">One test at a time</RouterLink>
    </div>
    <p v-if="saved.length" role="status" class="soft">{{ saved.length }} saved.</p>
    <section v-for="{ row, page } in open" :id="`test-${row.place}`" :key="row.place" class="test">
      <div class="head">
        <h2>{{ row.name }}</h2>
        <label class="ticked"><input v-model="draft.tests[row.place]!.left" type="checkbox" /> skipped</label>
      </div>
      <label v-if="draft.tests[row.place]!.left" class="field"
        ><span class="name">Why was it skipped?</span><ElInput v-model="draft.tests[row.place]!.reason" name="reason" maxlength="2000"
      /></label>
      <PaperTest
        v-else
        :ref="(el) => (forms[row.place] = el as PaperForm | null)"
        v-model="draft.tests[row.place]!.paper"
        :page="page"
        :failure="at(row.place)"
      />
      <p v-if="beside(row.place)" class="wrong" role="alert">{{ beside(row.place) }}</p>
    </section>
    <FailureNote :failure="wrong ? null : failure" />
    <div class="actions foot">
      <ElButton type="primary" size="large" native-type="submit" :loading="busy">Save the visit</ElButton>
      <span class="soft">Your entries stay on this device until they are saved.</span>
    </div>
  </form>
</template>

<style scoped>
.test {
  border-top: 1px solid var(--line);
  padding: 12px 0 18px;
  scroll-margin-top: 12px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 24px;
}
.head h2 {
  margin: 4px 0 10px;
  color: var(--ink);
  font-size: 21px;
}
.field {
  max-width: 640px;
}
</style>
