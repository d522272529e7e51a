<script setup lang="ts">
import type { ResultPage } from "@/api/types";

/** What was read in a test, and what was remarked while it was taken. */
defineProps<{ readings: ResultPage["readings"]; remarks: ResultPage["remarks"] }>();
</script>

<template>
  <section>
    <h2>What was read</h2>
    <dl>
      <template v-for="l in readings" :key="l.label"
        ><dt>{{ l.label }}</dt>
        <dd class="num">{{ l.value }}</dd></template
      >
    </dl>
    <p v-for="(words, k) in remarks" :key="k" class="soft">“{{ words }}”</p>
  </section>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 4px 16px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
</style>
