<script setup lang="ts">
import { ref, watch } from "vue";
import type { LoadDue } from "@/api/types";

/** The next load, with all three names it goes by. Another than the decided one asks for the reason. */
const props = defineProps<{ due: LoadDue }>();
const emit = defineEmits<{ set: [kgm_min: number, reason: string | null] }>();
const chosen = ref(props.due.decided.kgm_min);
const reason = ref("");
watch(
  () => props.due.stage,
  () => {
    chosen.value = props.due.decided.kgm_min;
    reason.value = "";
  },
);
const other = () => chosen.value !== props.due.decided.kgm_min;
function confirm() {
  if (other() && !reason.value.trim()) return;
  emit("set", chosen.value, other() ? reason.value.trim() : null);
}
defineExpose({ confirm });
</script>

<template>
  <form class="load" @submit.prevent="confirm">
    <h2 id="load-h">{{ due.optional ? "A heavier load" : `Load of stage ${due.stage}` }}</h2>
    <div class="loads" role="radiogroup" aria-labelledby="load-h">
      <label v-for="l in due.choices" :key="l.kgm_min" :class="{ on: chosen === l.kgm_min }">
        <input v-model="chosen" type="radio" name="load" :value="l.kgm_min" />
        <b class="num">{{ l.kgm_min }}</b> kgm/min <span>{{ Math.round(l.kp * 100) / 100 }} kp · {{ Math.round(l.watts) }} W</span>
      </label>
    </div>
    <label v-if="other()" class="reason"
      ><span class="visually-hidden">Why another load?</span
      ><input v-model="reason" maxlength="400" placeholder="Why another load?" autocomplete="off"
    /></label>
    <button type="submit" class="main" :disabled="other() && !reason.trim()">
      {{ due.optional ? "Go on with it" : "Load is set" }} <kbd v-if="!due.optional">Enter</kbd>
    </button>
  </form>
</template>

<style scoped>
.load {
  border: 2px solid var(--ember);
  border-radius: 12px;
  padding: 12px 14px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
h2 {
  color: var(--ink);
  margin: 0;
  font-size: 18px;
}
.loads {
  display: grid;
  gap: 6px;
}
.loads label {
  display: flex;
  align-items: baseline;
  gap: 8px;
  min-height: 44px;
  padding: 8px 12px;
  border: 1px solid var(--line);
  border-radius: 8px;
  cursor: pointer;
}
.loads label.on {
  border-color: var(--fjord);
  background: var(--fjord-wash);
}
.loads b {
  font-size: 22px;
}
.loads span {
  margin-left: auto;
  color: var(--soft);
}
.reason input {
  width: 100%;
  font: inherit;
  min-height: 48px;
  padding: 8px 12px;
  border-radius: 8px;
  border: 1px solid var(--ochre);
  background: var(--card);
  color: var(--ink);
}
.load button {
  justify-content: center;
}
</style>
