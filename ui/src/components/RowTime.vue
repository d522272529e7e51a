<script setup lang="ts">
import { ref } from "vue";
import { api, take } from "@/api/client";
import FailureNote from "./FailureNote.vue";
import { useAction } from "@/composables/useAction";

/** The equation the other way round: the 2000 m time that a known VO2max suggests. */
const vo2max = ref("50");
const mass = ref("75");
const sex = ref<"male" | "female">("female");
const trained = ref(true);
const answer = ref<{ sentence: string; working: string } | null>(null);
const { busy, failure, run } = useAction();
const number = (t: string) => Number(t.replace(",", "."));
async function ask() {
  const query = { vo2max: number(vo2max.value), mass_kg: number(mass.value), sex: sex.value, trained: trained.value };
  answer.value = (await run(() => take(api.GET("/api/row-time", { params: { query } })))) ?? null;
}
</script>

<template>
  <section>
    <h2>From a VO₂max to a time</h2>
    <form class="inverse" @submit.prevent="ask">
      <label>VO₂max <ElInput v-model="vo2max" inputmode="decimal" /></label>
      <label>Mass, kg <ElInput v-model="mass" inputmode="decimal" /></label>
      <ElRadioGroup v-model="sex" aria-label="Sex as the equation uses it">
        <ElRadioButton value="female">women</ElRadioButton>
        <ElRadioButton value="male">men</ElRadioButton>
      </ElRadioGroup>
      <label class="check"><input v-model="trained" type="checkbox" /> rows regularly</label>
      <ElButton native-type="submit" :loading="busy">Which time?</ElButton>
    </form>
    <FailureNote :failure="failure" />
    <p v-if="answer" role="status">
      <b>{{ answer.sentence }}</b> <span class="num">{{ answer.working }}</span>
    </p>
  </section>
</template>

<style scoped>
.inverse {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: center;
}
.inverse :deep(.el-input) {
  width: 76px;
}
.check {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
