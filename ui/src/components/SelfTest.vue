<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref, useTemplateRef, watch } from "vue";
import { api, take } from "@/api/client";
import type { SelfPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PaperTest from "@/components/PaperTest.vue";
import PictureBox from "@/components/PictureBox.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { given } from "@/logic/conditions";
import { dayYear } from "@/logic/dates";
import { emptyPaper } from "@/logic/paper";
import { fateWords } from "@/logic/selfEntry";
import { shownIn, texts } from "@/logic/readings";

/** A test that somebody takes of themselves: what it looks like, when it counts, what was read, and what became of it. */
const props = defineProps<{ token: string; page: SelfPage; test: SelfPage["tests"][number]; well: boolean; first: boolean }>();
const emit = defineEmits<{ sent: [page: SelfPage]; elsewhere: [] }>();
const conditions = computed(() => props.test.protocol.conditions.filter((c) => !props.test.fixed.includes(c.key)));
const inputs = computed(() => props.test.protocol.inputs.filter((i) => props.test.takes.includes(i.key)));
const paperPage = computed(() => ({
  protocol: { ...props.test.protocol, conditions: conditions.value, inputs: inputs.value },
  takes: props.test.takes,
  units: props.page.units,
  body_map: props.test.body_map ?? null,
  hr_max: [],
  mass: null,
}));
const shown = shownIn(props.page.units);
const start = () => ({
  ...emptyPaper(),
  given: given(props.test.suggested, props.test.protocol.conditions, props.page.units),
});
const { draft } = useDraft(`self.${props.token}.${props.test.place}`, { id: uuid(), on: props.page.today, paper: start() });
const paper = useTemplateRef<InstanceType<typeof PaperTest>>("paper");
/** One test stands open at a time, unless somebody opens more. */
const opened = ref(props.first);
watch(
  () => props.first,
  (first) => (opened.value ||= first),
);
/** What was sent is put right only where somebody wants to. */
const again = ref(false);
const sent = computed(() => props.test.sent ?? null);
const writes = computed(() => props.test.open && (sent.value ? again.value : opened.value));
const pictures = computed(() => props.test.standard.drawings.filter((d) => !d.wrong));
const { busy, failure, run } = useAction();
const elsewhere = computed(() => {
  const field = failure.value?.field ?? "";
  return failure.value && field !== "on" && !paper.value?.known.has(field) ? failure.value : null;
});
function putRight() {
  const was = sent.value!;
  Object.assign(draft.value, {
    id: uuid(),
    on: was.on,
    paper: {
      ...emptyPaper(),
      values: texts(props.test.protocol.inputs, was.typed.inputs ?? {}, shown),
      given: given({ ...props.test.suggested, ...was.typed.conditions }, props.test.protocol.conditions, props.page.units),
      remark: was.typed.remark ?? "",
    },
  });
  again.value = true;
}
async function send() {
  const read = paper.value?.read();
  if (!read) return;
  const { inputs, conditions, remark } = read;
  const body = {
    id: draft.value.id,
    place: props.test.place,
    on: draft.value.on,
    seen: sent.value?.id ?? null,
    well: props.well,
    inputs,
    conditions,
    remark,
  };
  const page = await run(() => take(api.POST("/api/self/{token}/entries", { params: { path: { token: props.token } }, body })));
  if (!page) {
    if (failure.value?.code === "sent_elsewhere") emit("elsewhere");
    return;
  }
  again.value = false;
  Object.assign(draft.value, { id: uuid(), paper: start() });
  emit("sent", page as SelfPage);
}
</script>

<template>
  <article :class="sent?.fate">
    <header>
      <h2>
        <button v-if="test.open && !sent" type="button" :aria-expanded="opened" @click="opened = !opened">
          {{ test.name }}<span aria-hidden="true">{{ opened ? "−" : "+" }}</span>
        </button>
        <template v-else>{{ test.name }}</template>
      </h2>
      <span v-if="sent" class="fate" role="status">{{ fateWords[sent.fate] }}</span>
    </header>
    <p v-if="test.why_not" class="soft">{{ test.why_not }}</p>
    <template v-else>
      <p v-if="sent?.fate === 'refused'" class="box care">
        <b>Your coach didn’t take this one in:</b> {{ sent.reason }} Take the test again, or correct what you typed.
      </p>
      <p v-if="sent && !again" class="was">
        <b>{{ sent.readings.map((r) => `${r.label}: ${r.value}`).join(" · ") }}</b><span class="soft"
          >, done on {{ dayYear(sent.on) }}</span
        >
        <button v-if="test.open" type="button" class="linklike" @click="putRight">Correct it</button>
      </p>
      <template v-if="writes">
        <p>{{ test.protocol.summary }}</p>
        <div v-if="pictures.length" class="pictures"><PictureBox v-for="(d, k) in pictures" :key="k" :drawing="d" /></div>
        <div class="standard">
          <div v-if="test.standard.counts.length">
            <h3>What counts</h3>
            <p v-for="c in test.standard.counts" :key="c">{{ c }}</p>
          </div>
          <div v-if="test.standard.does_not_count.length">
            <h3>What does not count</h3>
            <p v-for="c in test.standard.does_not_count" :key="c">{{ c }}</p>
          </div>
        </div>
        <form @submit.prevent="send">
          <PaperTest ref="paper" v-model="draft.paper" :page="paperPage" :failure="failure">
            <DateField v-model="draft.on" label="Day" name="on" :wrong="failure?.field === 'on' ? failure.message : null" />
          </PaperTest>
          <FailureNote :failure="elsewhere" />
          <div class="actions">
            <ElButton type="primary" size="large" native-type="submit" :loading="busy">Send to your coach</ElButton>
            <button v-if="again" type="button" class="linklike" @click="again = false">Leave it as it was sent</button>
          </div>
        </form>
      </template>
    </template>
  </article>
</template>

<style scoped>
article {
  border-top: 1px solid var(--line);
  padding: 18px 0 22px;
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 16px;
}
h2 {
  margin: 0;
  font-size: 20px;
  color: var(--ink);
}
h2,
h2 button {
  width: 100%;
}
h2 button {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  min-height: 44px;
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
h2 button span {
  color: var(--fjord);
}
h3 {
  font-size: 16px;
  margin: 0 0 2px;
}
.fate {
  color: var(--soft);
  font-weight: 600;
}
.taken .fate {
  color: var(--moss);
}
.refused .fate {
  color: var(--madder);
}
.was {
  margin: 4px 0 0;
}
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 240px), 1fr));
  gap: 12px 24px;
  max-width: 620px;
}
.standard {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 260px), 1fr));
  gap: 10px 44px;
  margin: 14px 0 18px;
}
.standard p {
  margin: 0;
}
</style>
