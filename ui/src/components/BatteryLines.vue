<script setup lang="ts">
import type { BatteryLine } from "@/api/types";
import BatteryHead from "@/components/BatteryHead.vue";

/** Batteries in a list; where each leads is the page's business. */
defineProps<{ batteries: BatteryLine[]; to: (b: BatteryLine) => string }>();
const length = (b: BatteryLine) =>
  [`${b.names.length} tests`, `${b.battery.window_min ? `window of ${b.battery.window_min}` : b.minutes} min`, b.own && "your own"]
    .filter(Boolean)
    .join(" · ");
</script>

<template>
  <ul class="batteries">
    <li v-for="b in batteries" :key="b.battery.id">
      <RouterLink :to="to(b)">
        <BatteryHead :name="b.battery.name">{{ length(b) }}</BatteryHead>
        <span v-if="b.battery.summary">{{ b.battery.summary }}</span>
        <span class="soft">{{ b.names.join(b.battery.window_min ? ", " : " → ") }}</span>
      </RouterLink>
    </li>
  </ul>
</template>

<style scoped>
.batteries {
  list-style: none;
  padding: 0;
  margin: 0;
}
.batteries li {
  border-top: 1px solid var(--line);
}
.batteries a {
  display: grid;
  gap: 2px;
  padding: 12px 8px;
  color: var(--ink);
  text-decoration: none;
}
.batteries a:hover,
.batteries a:focus-visible {
  background: var(--card);
}
</style>
