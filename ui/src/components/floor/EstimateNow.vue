<script setup lang="ts">
import type { State } from "@/api/types";

/** The VO₂max that the readings so far give, and how far it may be off. */
defineProps<{ estimate: NonNullable<State["estimate"]> }>();
</script>

<template>
  <p class="now" role="status">
    VO₂max <b class="num">{{ estimate.shown }}</b> mL/kg/min<small>{{ estimate.range }}</small>
  </p>
</template>

<style scoped>
.now {
  margin: 0 0 14px;
  font-size: 19px;
}
.now b {
  font-size: 34px;
}
.now small {
  display: block;
  color: var(--soft);
  font-size: 16px;
}
</style>
