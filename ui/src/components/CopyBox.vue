<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { MethodPage } from "@/api/types";
import { ofFamily, stagesOf } from "@/logic/procedure";
import { useAction } from "@/composables/useAction";

/** A copy of the practice's own: another duration, beat, bench or prompts. */
const props = defineProps<{ protocol: MethodPage["protocol"] }>();
const router = useRouter();
const open = ref(false);
const id = uuid();
const work = computed(() => props.protocol.phases.find((p) => p.kind === "work"));
const bench = computed(() => props.protocol.conditions.find((c) => c.key === "bench_cm"));
const name = ref("");
const seconds = ref(String(work.value?.seconds ?? ""));
const beat = ref(String(props.protocol.cadence?.any ?? ""));
const height = ref(String(bench.value?.expected ?? ""));
const prompts = ref((work.value?.prompts ?? []).map((p) => `${p.at_s} ${p.say}`).join("\n"));
/** The stages of a ladder, one a line. */
const ladder = computed(() => stagesOf(props.protocol.procedure) ?? null);
const stages = ref((ladder.value ?? []).join("\n"));
/** The schedule of a run to beeps, by the names that the copy takes. */
const schedule = computed(() => ofFamily(props.protocol.procedure, "audio_paced"));
const asIs = schedule.value;
const beeps = ref({
  start_kmh: String(asIs?.levels[0]?.speed_kmh ?? ""),
  step_kmh: "",
  shuttle_m: String(asIs?.shuttle_m ?? ""),
  rest_s: asIs?.recovery_s ? String(asIs.recovery_s) : "",
});
const BEEPS = [
  ["start_kmh", "Speed of the first level", "km/h"],
  ["step_kmh", "Faster each level by", "km/h"],
  ["shuttle_m", "Length of a shuttle", "m"],
  ["rest_s", "Rest after it", "s"],
] as const;
const asked = computed(() => BEEPS.filter(([key]) => schedule.value && (key !== "rest_s" || schedule.value.recovery_s)));
const { busy, failure, run } = useAction();
const number = (t: string) => (t.trim() ? Number(t.replace(",", ".")) : null);
async function copy() {
  const lines = prompts.value.split("\n").flatMap((line) => {
    const found = /^(\d+)\s+(.+)$/.exec(line.trim());
    return found ? [{ at_s: Number(found[1]), say: found[2]! }] : [];
  });
  const changes = {
    name: name.value,
    work_s: work.value?.seconds ? number(seconds.value) : null,
    cadence: props.protocol.cadence ? number(beat.value) : null,
    bench_cm: bench.value ? number(height.value) : null,
    stages: ladder.value ? stages.value.split("\n").filter((line) => line.trim()) : null,
    prompts: lines,
    ...Object.fromEntries(asked.value.map(([key]) => [key, number(beeps.value[key])])),
  };
  const made = await run(() =>
    take(api.POST("/api/protocols/{id}/copies", { params: { path: { id: props.protocol.id } }, body: { id, changes } })),
  );
  if (made) await router.push(`/tests/${made.id}`);
}
</script>

<template>
  <section class="copy">
    <button v-if="!open" type="button" class="plain" @click="open = true">Make a copy of your own…</button>
    <form v-else class="box" @submit.prevent="copy">
      <h2>Your own copy</h2>
      <label class="field"><span class="name">Name</span><ElInput v-model="name" name="name" maxlength="80" /></label>
      <label v-if="work?.seconds" class="field"
        ><span class="name">Length of the work</span
        ><ElInput v-model="seconds" name="work_s"><template #append>s</template></ElInput></label
      >
      <label v-if="protocol.cadence" class="field"
        ><span class="name">Beat</span
        ><ElInput v-model="beat" name="cadence" :placeholder="protocol.cadence.any ? '' : 'as in the original'"
          ><template #append>a minute</template></ElInput
        ></label
      >
      <label v-if="bench" class="field"
        ><span class="name">Bench</span><ElInput v-model="height" name="bench_cm"><template #append>cm</template></ElInput></label
      >
      <label v-if="ladder" class="field"
        ><span class="name">Stages, one a line, the easiest first</span><ElInput v-model="stages" type="textarea" :rows="7" name="stages"
      /></label>
      <label v-for="[key, words, unit] in asked" :key="key" class="field"
        ><span class="name">{{ words }}</span
        ><ElInput v-model="beeps[key]" :name="key" :placeholder="key === 'step_kmh' ? 'as in the original' : ''"
          ><template #append>{{ unit }}</template></ElInput
        ></label
      >
      <label v-if="work && !schedule" class="field"
        ><span class="name">Prompts, one a line: seconds, then the words</span
        ><ElInput v-model="prompts" type="textarea" :rows="3" name="prompts"
      /></label>
      <p class="soft">Its results are followed on their own and not compared with those of the original.</p>
      <p v-if="failure" class="wrong" role="alert">{{ failure.message }}</p>
      <div class="actions">
        <ElButton type="primary" native-type="submit" :loading="busy">Make the copy</ElButton>
        <ElButton @click="open = false">Cancel</ElButton>
      </div>
    </form>
  </section>
</template>

<style scoped>
.copy {
  margin-bottom: 18px;
}
.plain {
  border: 0;
  background: none;
  padding: 0;
  font: inherit;
  color: var(--fjord);
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
}
</style>
