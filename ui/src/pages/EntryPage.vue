<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref, useTemplateRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { AssessPage, ResultPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import PaperTest from "@/components/PaperTest.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";
import { peekDraft, useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { given } from "@/logic/conditions";
import { emptyPaper, type SetUpDraft } from "@/logic/paper";
import { shownIn, texts } from "@/logic/readings";

/** A test that was done on paper: the day, the readings, the circumstances. Or, with `result`, one that is put right. */
const props = defineProps<{ id?: string; protocol?: string; result?: string }>();
const router = useRouter();
const route = useRoute();
const stored = ref<ResultPage | null>(null);
const day = ref<string | null>(null);
/** Whose, and which test. */
const of = computed(() => ({ id: props.id ?? stored.value!.person, protocol: props.protocol ?? stored.value!.protocol }));
/** The place in a visit that this test fills. */
const visit = route.query.visit ? { visit: String(route.query.visit), place: Number(route.query.place) } : null;
const inVisit = visit ? `.${visit.visit}.${visit.place}` : "";
const {
  data: page,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => {
  if (props.result) stored.value = await take(api.GET("/api/results/{id}", { params: { path: { id: props.result } } }));
  // A test of a visit was done on the visit's day.
  if (visit) day.value = (await take(api.GET("/api/visits/{id}", { params: { path: { id: visit.visit } } }))).on;
  return take(api.GET("/api/people/{id}/assess/{protocol}", { params: { path: of.value, query: visit ?? {} } }));
});
const { draft, clear } = useDraft(props.result ? `correct.${props.result}` : `enter.${props.id}.${props.protocol}${inVisit}`, {
  id: uuid(),
  on: "",
  paper: emptyPaper(),
  reason: "",
  seen: -1,
  filled: false,
});
const { busy, failure, run } = useAction();
watch(page, (p) => {
  if (!p) return;
  const was = stored.value;
  // What was typed for an older version of the result is not typed for this one.
  if (was && draft.value.seen !== was.versions.length) {
    const staged = (was.entry.inputs as { stages?: Record<string, number>[] }).stages ?? [];
    Object.assign(draft.value, {
      id: uuid(),
      on: was.on,
      paper: {
        ...emptyPaper(),
        values: texts(p.protocol.inputs, was.entry.inputs, shownIn(p.units)),
        given: given(was.entry.conditions, p.protocol.conditions, p.units),
        stages: staged.map((s) => ({
          load: String(s.load_kgm_min),
          rates: Object.fromEntries(Object.entries(s).flatMap(([k, v]) => (k.startsWith("hr_") ? [[k.slice(3), String(v)]] : []))),
        })),
        method: String(was.entry.conditions["hr_max_method"] ?? ""),
        resting: was.entry.resting_hr == null ? "" : String(was.entry.resting_hr),
        measured: was.entry.hr_max == null ? "" : String(was.entry.hr_max),
        remark: was.remarks.join("; "),
      },
      seen: was.versions.length,
      filled: true,
    });
    if (p.hr_max.find((o) => o.usual)?.method === draft.value.paper.method || !p.hr_max.length) draft.value.paper.method = "";
    return;
  }
  if (draft.value.filled) return;
  Object.assign(draft.value.paper.given, given(p.suggested, p.protocol.conditions, p.units));
  // What was typed at set-up is there on paper.
  const setUp = peekDraft<SetUpDraft>(`assess.${props.id}.${props.protocol}${inVisit}`);
  if (setUp?.filled) {
    Object.assign(draft.value.paper.given, setUp.given);
    Object.assign(draft.value.paper, {
      method: setUp.method ?? "",
      resting: setUp.resting ?? "",
      measured: setUp.max ?? "",
      mass: setUp.mass ?? "",
      keepMass: setUp.keepMass ?? false,
    });
  }
  draft.value.on = day.value ?? new Date().toISOString().slice(0, 10);
  draft.value.filled = true;
});
const paper = useTemplateRef<InstanceType<typeof PaperTest>>("paper");
const wrong = (key: string) => (failure.value?.field === key ? failure.value.message : null);
const elsewhere = computed(() => {
  const field = failure.value?.field ?? "";
  return failure.value && !["on", "reason"].includes(field) && !paper.value?.known.has(field) ? failure.value : null;
});
async function keep() {
  const read = paper.value?.read();
  if (!read) return;
  // A remark that was left as it is stays as it was taken down.
  const remark = stored.value && read.remark === stored.value.remarks.join("; ") ? null : read.remark;
  const typedIn = { on: draft.value.on, ...read, remark };
  const { id, protocol } = of.value;
  const kept = await run(() => {
    if (!props.result)
      return take(
        api.POST("/api/people/{id}/results", {
          params: { path: { id } },
          body: { id: draft.value.id, protocol, visit, ...typedIn },
        }),
      );
    const body = { id: draft.value.id, seen: draft.value.seen, reason: draft.value.reason, change: "corrected" as const, ...typedIn };
    return take(api.POST("/api/results/{id}/corrections", { params: { path: { id: props.result } }, body: body }));
  });
  if (!kept) return;
  clear();
  await router.push(visit ? `/visits/${visit.visit}/floor` : `/results/${kept.result}`);
}
const title = computed(() => {
  if (stored.value) return ": correct the result";
  return page.value?.protocol.procedure.family === "clamped_heart_rate" ? ", from its recording" : ", done on paper";
});
</script>

<template>
  <PageState v-if="!page" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="keep">
    <div class="page-head">
      <div>
        <h1>{{ page.protocol.name }}{{ title }}</h1>
        <div class="soft">{{ page.name }} · {{ page.protocol.summary }}</div>
      </div>
    </div>
    <PaperTest ref="paper" v-model="draft.paper" :page="page as AssessPage" :was="stored?.entry ?? null" :failure="failure">
      <DateField label="Day" v-model="draft.on" name="on" :readonly="day !== null" :wrong="wrong('on')" />
    </PaperTest>
    <label v-if="stored" class="field because"
      ><span class="name">Reason for the correction</span
      ><ElInput v-model="draft.reason" name="reason" maxlength="2000" placeholder="Misread the tape" /><span class="hint"
        >The earlier version is saved too, with this reason.</span
      ><span v-if="wrong('reason')" class="wrong" role="alert">{{ wrong("reason") }}</span></label
    >
    <FailureNote :failure="elsewhere" />
    <div class="actions">
      <ElButton type="primary" size="large" native-type="submit" :loading="busy">{{
        stored ? "Save correction" : "Save result"
      }}</ElButton><RouterLink v-if="stored" :to="`/results/${stored.id}`">Cancel</RouterLink>
    </div>
  </form>
</template>

<style scoped>
.because {
  max-width: 640px;
}
</style>
