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
      <ElButton @click="$emit('again')">Try again</ElButton>
    </div>
    <p v-else-if="loading" class="soft" role="status">One moment…</p>
  </div>
</template>
