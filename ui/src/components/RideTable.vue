<script setup lang="ts">
import type { RideReport } from "@/api/types";
import { dayYear } from "@/logic/dates";

/** A ride at clamped heart rates: stage by stage, each number with what it was on the ride before. */
defineProps<{ ride: RideReport }>();
const columns = [
  ["power", "Mean power"],
  ["heart_rate", "Heart rate"],
  ["cadence", "Cadence"],
  ["rpe", "Felt"],
] as const;
</script>

<template>
  <section class="ride">
    <p v-if="ride.signs.length" class="signs">
      {{ ride.signs.join(", ") }}<template v-if="ride.since">, against {{ dayYear(ride.since) }}</template
      >. Read together, never one alone; sleep, stress and work belong beside it.
    </p>
    <div class="wide" tabindex="0" role="region" aria-label="The stages of the ride">
      <table>
        <thead>
          <tr>
            <th scope="col">Stage</th>
            <th v-for="[key, label] in columns" :key="key" scope="col">{{ label }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(s, k) in ride.stages" :key="k">
            <th scope="row">
              <b>{{ k + 1 }}</b> <small>{{ s.target }}</small>
            </th>
            <td v-for="[key] in columns" :key="key">
              <span class="num">{{ s[key].now }}</span>
              <small v-if="s[key].then" class="num">was {{ s[key].then }}</small>
            </td>
          </tr>
          <tr>
            <th scope="row"><b>After</b> <small>the minute sitting up</small></th>
            <td colspan="4">
              <span class="num">− {{ ride.recovery.now }}</span>
              <small v-if="ride.recovery.then" class="num">was − {{ ride.recovery.then }}</small>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="after">
      <p class="soft">{{ ride.reached }}</p>
      <slot />
    </div>
  </section>
</template>

<style scoped>
.ride {
  margin-bottom: 28px;
}
.signs {
  max-width: 64ch;
}
.wide {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  margin: 14px 0 10px;
}
th,
td {
  text-align: right;
  padding: 10px 0 10px 18px;
  border-bottom: 1px solid var(--line);
  font-weight: 400;
  vertical-align: baseline;
  white-space: nowrap;
}
thead th {
  color: var(--soft);
}
th:first-child {
  text-align: left;
  padding-left: 0;
}
td[colspan] {
  text-align: left;
}
.after {
  display: flex;
  align-items: baseline;
}
.num {
  font-size: 21px;
}
small {
  display: block;
  color: var(--soft);
}
small.num {
  font-size: 15px;
}
</style>
