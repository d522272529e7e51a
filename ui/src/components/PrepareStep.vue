<script setup lang="ts">
import { useIntervalFn } from "@vueuse/core";
import { computed, ref } from "vue";
import type { AssessPage } from "@/api/types";
import { minutes } from "@/logic/dates";

/** Something to do before the clock, with a timer where it is timed. The timer only helps; it decides nothing. */
const props = defineProps<{ step: NonNullable<AssessPage["protocol"]["prepare"]>[number] }>();
const startedAt = ref<number | null>(null);
const now = ref(Date.now());
useIntervalFn(() => (now.value = Date.now()), 250);
const left = computed(() => (props.step.seconds ?? 0) * 1000 - (startedAt.value === null ? 0 : now.value - startedAt.value));
</script>

<template>
  <div class="step">
    <span class="words"
      ><b>{{ step.label }}</b
      ><small>{{ step.detail }}</small></span
    >
    <button v-if="step.seconds" type="button" @click="startedAt = startedAt === null ? Date.now() : null">
      <span class="num">{{ left > 0 ? minutes(left + 999) : "done" }}</span>
      <small>{{ startedAt === null ? "start" : "reset" }}</small>
    </button>
  </div>
</template>

<style scoped>
.step {
  display: flex;
  gap: 16px;
  align-items: center;
  border-top: 1px solid var(--line);
  padding: 10px 0;
}
.words {
  flex: 1;
}
small {
  display: block;
  color: var(--soft);
  font-size: 15px;
}
button {
  min-width: 96px;
  min-height: 56px;
  border: 1px solid var(--fjord);
  border-radius: 8px;
  background: var(--card);
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}
.num {
  font-size: 22px;
  font-weight: 600;
}
</style>
