<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { PersonLine, ResultPage } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";

/** A slip is taken back here: correct, make void, move; and every version there was. */
const props = defineProps<{ r: ResultPage }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, failure, run } = useAction();
const doing = ref<"voided" | "restored" | "moved" | "compared" | "apart" | null>(null);
/** How a self-reported result stands to measured ones; nothing for one that was measured. */
const mark = computed(() => props.r.entry.conditions["self_reported"] as "apart" | "compared" | undefined);
const reason = ref("");
const to = ref<PersonLine | null>(null);
const asked = ref("");
const found = ref<PersonLine[]>([]);
const id = ref(uuid());
function begin(what: typeof doing.value) {
  [doing.value, reason.value, to.value, asked.value, found.value, id.value] = [what, "", null, "", [], uuid()];
  failure.value = null;
}
watch(
  asked,
  useDebounceFn(async () => {
    const answer = await take(api.GET("/api/search", { params: { query: { q: asked.value } } })).catch(() => null);
    found.value = (answer?.people ?? []).filter((p) => p.id !== props.r.person).slice(0, 6);
  }, 80),
);
function bodyOf(what: NonNullable<typeof doing.value>, said: { id: string; seen: number; reason: string }) {
  if (what === "moved") return { ...said, change: what, person: to.value!.id };
  if (what === "compared" || what === "apart") return { ...said, change: "compared" as const, compared: what === "compared" };
  return { ...said, change: what };
}
async function send() {
  if (!doing.value) return;
  const said = { id: id.value, seen: props.r.versions.length, reason: reason.value };
  const body = bodyOf(doing.value, said);
  const kept = await run(() => take(api.POST("/api/results/{id}/corrections", { params: { path: { id: props.r.id } }, body: body })));
  if (!kept) return;
  doing.value = null;
  emit("changed");
}
const words = {
  voided: "Make void",
  restored: "Restore",
  moved: "Move",
  compared: "Compare with measured results",
  apart: "Stop comparing with measured results",
};
const done: Record<string, string> = { corrected: "corrected", voided: "made void", restored: "restored", moved: "moved" };
const when = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", year: "numeric", hour: "2-digit", minute: "2-digit" });
/** What a reading was and became: only what differs from the next version. */
function differs(k: number) {
  const now = k === 0 ? props.r.readings : props.r.versions[k - 1]!.readings;
  const is = new Map(now.map((l) => [l.label, l.value]));
  return props.r.versions[k]!.readings.filter((l) => is.get(l.label) !== l.value).map((l) => ({ ...l, now: is.get(l.label) ?? "nothing" }));
}
</script>

<template>
  <section class="right">
    <h2>Correct this result</h2>
    <div v-if="!doing" class="acts">
      <RouterLink v-if="!r.voided && !r.stopped" class="link" :to="`/results/${r.id}/correct`">Correct</RouterLink>
      <button v-if="!r.voided" type="button" class="link" @click="begin('voided')">Make void</button>
      <button v-else type="button" class="link" @click="begin('restored')">Restore</button>
      <button type="button" class="link" @click="begin('moved')">Move to another client</button>
      <button v-if="mark === 'apart' && !r.voided" type="button" class="link" @click="begin('compared')">{{ words.compared }}</button>
      <button v-if="mark === 'compared' && !r.voided" type="button" class="link" @click="begin('apart')">{{ words.apart }}</button>
    </div>
    <form v-else @submit.prevent="send">
      <p v-if="doing === 'voided'" class="soft">You can still see it, but it isn’t used for scores, points or goals. You can restore it.</p>
      <p v-if="doing === 'compared'" class="soft">
        It stays marked as self-reported. From now on it is held against measured results and norms, and can reach a goal.
      </p>
      <template v-if="doing === 'moved'">
        <p v-if="to">
          To <b>{{ to.name }}</b> <button type="button" class="link" @click="to = null">another</button>
        </p>
        <label v-else class="field"
          ><span class="name">Whose is it?</span><ElInput v-model="asked" type="search" aria-label="Name of the client" placeholder="Name"
        /></label>
        <ul v-if="!to" class="found">
          <li v-for="p in found" :key="p.id">
            <button type="button" class="link" @click="to = p">{{ p.name }}</button> <span class="soft">{{ p.age }}</span>
          </li>
        </ul>
      </template>
      <label class="field"
        ><span class="name">Why?</span><ElInput v-model="reason" name="why" maxlength="2000" aria-label="Why?" /><span
          v-if="failure?.field === 'reason'"
          class="wrong"
          role="alert"
          >{{ failure.message }}</span
        ></label
      >
      <FailureNote :failure="failure && failure.field !== 'reason' ? failure : null" />
      <div class="acts">
        <ElButton type="primary" native-type="submit" :loading="busy" :disabled="doing === 'moved' && !to">{{ words[doing] }}</ElButton>
        <ElButton @click="doing = null">Cancel</ElButton>
      </div>
    </form>
    <ol v-if="r.versions.length" class="versions">
      <li v-for="(v, k) in r.versions" :key="v.version">
        <p>
          <b>{{ v.by }}</b> {{ done[v.change] }} it on {{ when.format(new Date(v.at)) }}: “{{ v.reason }}”
        </p>
        <p class="soft">
          Before: {{ v.values.join(", ") || "no score" }}, {{ dayYear(v.on) }}<template v-if="v.of">, {{ v.of }}</template
          >.
          <template v-for="d in differs(k)" :key="d.label"> {{ d.label }}: {{ d.value }} → {{ d.now }}.</template>
        </p>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 18px;
  align-items: center;
}
.versions {
  list-style: none;
  margin: 16px 0 0;
  padding: 0 0 0 14px;
  border-left: 3px solid var(--line);
}
.versions li + li {
  margin-top: 12px;
}
.versions p {
  margin: 0;
  font-size: 15px;
  overflow-wrap: anywhere;
}
.found {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}
.field .name {
  display: block;
  font-weight: 600;
  margin-bottom: 4px;
}
</style>
