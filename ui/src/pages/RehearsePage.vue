<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { api, take } from "@/api/client";
import type { FaultKind } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { useOpen } from "@/floor/useBegin";

/** Practise a test on a simulated client whose true VO2max is hidden until the end. */
const route = useRoute();
const { data: tests, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/protocols")));
const asked = route.query.protocol;
const protocol = ref(typeof asked === "string" ? asked : "");
watch(tests, (all) => (protocol.value ||= all?.find((t) => t.rehearsed)?.id ?? ""));
const rate = ref(1);
const faults = ref<FaultKind[]>([]);
const kinds: [FaultKind, string, string][] = [
  ["settle", "A heart rate that does not settle", "One stage will need more minutes."],
  ["strap", "A strap that drops out", "For some seconds it has no contact."],
  ["cadence", "Feet off the beat", "For a while the cadence drifts."],
  ["dizzy", "A client who gets dizzy", "What you do then, and how quickly."],
];
const { busy, failure, run } = useAction();
const open = useOpen();
const live = computed(() => tests.value?.filter((t) => t.rehearsed) ?? []);
const chosen = computed(() => live.value.find((t) => t.id === protocol.value));
const mayGoWrong = computed(() => chosen.value?.section === "Aerobic" && !chosen.value.to_beeps);
async function begin() {
  const body = {
    id: uuid(),
    protocol: protocol.value,
    rate: rate.value,
    faults: mayGoWrong.value ? faults.value : [],
  };
  await run(() => open(() => api.POST("/api/rehearsals", { body })));
}
</script>

<template>
  <PageState v-if="!tests" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="begin">
    <div class="page-head"><h1>Rehearsal</h1></div>
    <p v-if="chosen?.to_beeps" class="lead">
      Fourteen simulated runners who slow, miss a line, make the next, stop. You record what you see; at the end you see what you missed and
      what it did to the scores. Nothing here changes any client’s record.
    </p>
    <p v-else class="lead">
      A simulated client with a chest strap and a true VO₂max, or one who tires, shakes and loses depth. You see the true values only at the
      end. Nothing here changes any client’s record.
    </p>
    <label class="field"
      ><span class="name">Test</span>
      <ElSelect v-model="protocol" size="large" class="select" filterable>
        <ElOptionGroup v-for="part in [...new Set(live.map((t) => t.section))]" :key="part" :label="part">
          <ElOption v-for="t in live.filter((l) => l.section === part)" :key="t.id" :value="t.id" :label="t.name" />
        </ElOptionGroup>
      </ElSelect>
    </label>
    <div class="field">
      <span id="rate" class="name">Speed</span>
      <ElRadioGroup v-model="rate" aria-labelledby="rate">
        <ElRadioButton :value="1">as in life</ElRadioButton>
        <ElRadioButton :value="2">twice as fast</ElRadioButton>
        <ElRadioButton :value="4">four times as fast</ElRadioButton>
      </ElRadioGroup>
    </div>
    <fieldset v-if="mayGoWrong">
      <legend>What may go wrong</legend>
      <label v-for="[kind, words, detail] in kinds" :key="kind" class="fault">
        <input v-model="faults" type="checkbox" :value="kind" /><span
          ><b>{{ words }}</b
          ><small>{{ detail }}</small></span
        >
      </label>
    </fieldset>
    <FailureNote :failure="failure" />
    <div class="actions"><ElButton type="primary" size="large" native-type="submit" :loading="busy">Start test</ElButton></div>
  </form>
</template>

<style scoped>
.select {
  max-width: 420px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 20px;
  max-width: 620px;
}
legend {
  font-weight: 600;
  margin-bottom: 4px;
}
.fault {
  display: flex;
  gap: 14px;
  align-items: center;
  min-height: 56px;
  border-top: 1px solid var(--line);
  cursor: pointer;
}
.fault input {
  width: 22px;
  height: 22px;
  accent-color: var(--fjord);
}
small {
  display: block;
  color: var(--soft);
  font-size: 15px;
}
</style>
