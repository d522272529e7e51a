<script setup lang="ts">
import { ref } from "vue";
import { api, take } from "@/api/client";
import type { SentLine } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { useAction } from "@/composables/useAction";
import { dayYear } from "@/logic/dates";

/** A result that a client took of themselves: looked at, taken in, or refused with a reason. */
const props = defineProps<{ line: SentLine; named?: boolean }>();
const emit = defineEmits<{ decided: [line: SentLine] }>();
const { busy, failure, run } = useAction();
const compared = ref(false);
const keepMass = ref(false);
const refusing = ref(false);
const reason = ref("");
async function decide(body: { decision: "take"; compared: boolean; keep_mass: boolean } | { decision: "refuse"; reason: string }) {
  const path = { id: props.line.id };
  const line = await run(() => take(api.POST("/api/self-entries/{id}/decision", { params: { path }, body })));
  if (line) emit("decided", line);
}
const takeIn = () => decide({ decision: "take", compared: compared.value, keep_mass: keepMass.value });
const refuse = () => decide({ decision: "refuse", reason: reason.value });
</script>

<template>
  <article class="box" :class="line.fate">
    <header>
      <b
        ><RouterLink v-if="named" :to="`/visits/${line.visit}`">{{ line.name }}</RouterLink
        ><template v-if="named"> · </template>{{ line.test }}</b
      >
      <span class="soft">done on {{ dayYear(line.on) }}</span>
    </header>
    <p v-if="line.wrong" class="wrong" role="alert">{{ line.wrong }}</p>
    <p v-else class="came">
      <span v-for="f in line.figures" :key="f.label"
        ><b class="num">{{ f.value }}</b> <span class="soft">{{ f.label }}</span></span
      >
      <span v-if="line.before" class="soft">before: {{ line.before }}</span>
    </p>
    <p v-if="line.readings.length" class="typed">{{ line.readings.map((r) => `${r.label}: ${r.value}`).join(" · ") }}</p>
    <p v-if="line.how.length" class="soft">{{ line.how.map((h) => `${h.label}: ${h.value}`).join(" · ") }}</p>
    <p v-if="line.remark">“{{ line.remark }}”</p>
    <p v-for="f in line.flags" :key="f" class="soft">{{ f }}</p>
    <p v-if="line.fate === 'refused'"><b>Refused:</b> {{ line.reason }}</p>
    <p v-else-if="line.fate === 'taken'">Taken in. <RouterLink :to="`/results/${line.id}`">The result</RouterLink></p>
    <template v-else>
      <form v-if="refusing" class="refuse" @submit.prevent="refuse">
        <label class="field"
          ><span class="name">Why not? {{ line.name }} reads it</span><input v-model="reason" class="native" maxlength="500"
        /></label>
        <span class="actions">
          <ElButton type="primary" native-type="submit" :loading="busy">Refuse it</ElButton>
          <button type="button" class="linklike" @click="refusing = false">Cancel</button>
        </span>
      </form>
      <template v-else>
        <label><input v-model="compared" type="checkbox" /> Compare it with measured results</label>
        <label v-if="line.old_mass"><input v-model="keepMass" type="checkbox" /> Use the body mass on record, although it is old</label>
        <span class="actions">
          <ElButton type="primary" :loading="busy" :disabled="!!line.wrong" @click="takeIn">Take it in</ElButton>
          <button type="button" class="linklike" @click="refusing = true">Refuse</button>
        </span>
      </template>
    </template>
    <FailureNote :failure="failure" />
  </article>
</template>

<style scoped>
article {
  display: grid;
  gap: 6px;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
p {
  margin: 0;
}
.came {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  align-items: baseline;
}
.came .num {
  font-size: 22px;
}
.refuse .native {
  width: 100%;
}
.refuse .field {
  margin: 0 0 8px;
}
label {
  min-height: 32px;
}
</style>
