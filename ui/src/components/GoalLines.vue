<script setup lang="ts">
import type { GoalLine } from "@/api/types";
import { dayYear } from "@/logic/dates";

/** Goals as they stand: what is wanted and by when, where the line is, what was agreed to do. The slot: what can be done with one. */
defineProps<{ goals: GoalLine[] }>();
</script>

<template>
  <ul class="goals">
    <li v-for="g in goals" :key="g.id">
      <b>{{ g.wanted }}</b><span class="soft"> by {{ dayYear(g.by) }}</span>
      <p :class="g.way">{{ g.sentence }}</p>
      <p v-if="g.process" class="soft">Agreed: {{ g.process }}</p>
      <slot :goal="g" />
    </li>
  </ul>
</template>

<style scoped>
.goals {
  list-style: none;
  padding: 0;
  margin: 0 0 12px;
}
.goals li {
  padding: 8px 0;
  border-bottom: 1px solid var(--line);
}
.goals p {
  margin: 2px 0 0;
}
.ahead,
.reached {
  color: var(--moss);
}
.behind {
  color: var(--madder);
}
</style>
