<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { ConsentKind } from "@/api/types";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { dayYear } from "@/logic/dates";
import FailureNote from "./FailureNote.vue";

/** Consent of the client: asked once, then shown, and changed on any day. */
const props = defineProps<{ person: string; kind: ConsentKind }>();
const path = { id: props.person };
const { data: page } = useLoad(() => take(api.GET("/api/people/{id}/consents", { params: { path } })));
const last = computed(() => page.value?.[props.kind][0]);
const words = computed(() => (props.kind === "testing" ? "being tested and to the record being kept" : "photographs being taken and kept"));
const open = ref(false);
const form = ref({ on: "", by: "" });
let key = uuid();
watch(page, (p) => {
  if (p) form.value = { on: p.today, by: last.value?.by ?? (p.minor ? "" : p.name) };
});
const { busy, failure, run } = useAction();
async function answer(agreed: boolean) {
  const body = { id: key, kind: props.kind, agreed, ...form.value };
  const next = await run(() => take(api.POST("/api/people/{id}/consents", { params: { path }, body })));
  if (!next) return;
  [page.value, open.value, key] = [next, false, uuid()];
}
</script>

<template>
  <section v-if="page" class="consent" :aria-label="kind === 'testing' ? 'Consent' : 'Consent to photographs'">
    <p v-if="last && !open" class="line">
      <span>
        <b>{{ last.agreed ? "Agreed" : "Not agreed" }}</b> to {{ words }}, {{ dayYear(last.on) }}, {{ last.by
        }}{{ last.guardian ? " (guardian)" : "" }}
      </span>
      <button type="button" class="linklike" @click="open = true">Change</button>
    </p>
    <form v-else @submit.prevent="answer(true)">
      <p class="ask">
        <b>{{ page.minor ? `Does the guardian of ${page.name} agree` : `Does ${page.name} agree` }} to {{ words }}?</b>
        <small v-if="page.required" class="soft">This practice asks for it first.</small>
        <small v-else class="soft">Asked once. A missing answer stops nothing.</small>
      </p>
      <div class="fields">
        <label class="field"
          ><span class="name">{{ page.minor ? "Guardian’s name" : "Name" }}</span
          ><ElInput v-model="form.by" :name="`consent-by-${kind}`" autocomplete="off"
        /></label>
        <DateField v-model="form.on" label="Answered on" />
      </div>
      <FailureNote :failure="failure" />
      <div class="actions">
        <ElButton native-type="submit" :loading="busy">Agreed</ElButton>
        <ElButton :disabled="busy" @click="answer(false)">Not agreed</ElButton>
        <button v-if="open" type="button" class="linklike" @click="open = false">Cancel</button>
      </div>
    </form>
  </section>
</template>

<style scoped>
.consent {
  border-bottom: 1px solid var(--line);
  padding: 12px 0;
  margin-bottom: 6px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 16px;
  margin: 0;
}
.ask {
  margin: 0 0 8px;
}
small {
  display: block;
  font-size: 15px;
}
.fields {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 180px;
  max-width: 640px;
  gap: 14px;
}
@media (max-width: 560px) {
  .fields {
    grid-template-columns: 1fr;
    gap: 0;
  }
}
</style>
