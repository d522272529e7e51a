<script setup lang="ts">
import type { Failure } from "@/api/client";

/** In place of a page that is not there yet, or cannot be. */
defineProps<{ failure: Failure | null; loading: boolean }>();
defineEmits<{ again: [] }>();
</script>

<template>
  <div class="page">
    <div v-if="failure" class="box stop" role="alert">
      <p>{{ failure.message }}</p>
      <button type="button" class="again" @click="$emit('again')">Try again</button>
    </div>
    <p v-else-if="loading" class="soft" role="status">One moment…</p>
  </div>
</template>

<style scoped>
.again {
  min-height: 44px;
  padding: 0 16px;
  border: 1px solid var(--fjord);
  border-radius: 8px;
  background: var(--card);
  color: var(--fjord);
  font: inherit;
  font-weight: 600;
  cursor: pointer;
}
</style>
