<script setup lang="ts">
import type { BatteryLine } from "@/api/types";

/** Batteries in a list; where each leads is the page's business. */
defineProps<{ batteries: BatteryLine[]; to: (b: BatteryLine) => string }>();
</script>

<template>
  <ul class="batteries">
    <li v-for="b in batteries" :key="b.battery.id">
      <RouterLink :to="to(b)">
        <span class="head"
          ><b>{{ b.battery.name }}</b
          ><small
            >{{ b.names.length }} tests · {{ b.battery.window_min ? `window of ${b.battery.window_min}` : b.minutes }} min<template
              v-if="b.own"
            >
              · your own</template
            ></small
          ></span
        >
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
.head {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: baseline;
}
.head b {
  font-size: 18px;
}
.head small {
  color: var(--soft);
  font-size: 15px;
  white-space: nowrap;
}
</style>
