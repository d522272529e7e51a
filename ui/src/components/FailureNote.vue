<script setup lang="ts">
import type { Failure } from "@/api/client";

/** What went wrong and what to do, read out when it appears. */
defineProps<{ failure: Failure | null }>();
</script>

<template>
  <div aria-live="assertive">
    <p v-if="failure" class="box stop" role="alert">{{ failure.message }}</p>
  </div>
</template>

<style scoped>
.box {
  margin: 0 0 16px;
}
</style>
