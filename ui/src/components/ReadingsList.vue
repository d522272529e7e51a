<script setup lang="ts">
import type { ResultPage } from "@/api/types";

/** What was read in a test, how it was done, and what was remarked while it was taken. */
defineProps<{
  readings: ResultPage["readings"];
  remarks: ResultPage["remarks"];
  conditions?: NonNullable<ResultPage["report"]>["conditions"];
}>();
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
    <template v-if="conditions?.length">
      <h3>How it was done</h3>
      <dl>
        <template v-for="c in conditions" :key="c.label"
          ><dt>{{ c.label }}</dt>
          <dd>{{ c.value }}</dd></template
        >
      </dl>
    </template>
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
h3 {
  margin: 16px 0 6px;
  font-size: 15px;
  font-weight: 650;
  color: var(--soft);
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
</style>
