<script setup lang="ts">
import type { StopReason } from "@/api/types";
import { REASONS } from "@/logic/reasons";

/** One of many stops: why. The others go on. */
const { reasons = REASONS } = defineProps<{ name: string; reasons?: [StopReason, string][] }>();
defineEmits<{ reason: [reason: StopReason]; back: [] }>();
</script>

<template>
  <div class="ask" role="alertdialog" :aria-label="`Why is ${name} out?`">
    <span>Why is {{ name }} out?</span>
    <button
      v-for="[reason, words] in reasons"
      :key="reason"
      type="button"
      :class="{ madder: reason === 'symptoms' }"
      @click="$emit('reason', reason)"
    >
      {{ words }}
    </button>
    <button type="button" class="quiet" @click="$emit('back')">Cancel</button>
  </div>
</template>

<style scoped>
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.floor button.madder {
  border-color: var(--madder);
}
</style>
