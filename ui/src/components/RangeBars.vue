<script setup lang="ts">
import { computed } from "vue";
import type { Combined } from "@/api/types";
import { dayShort } from "@/logic/dates";

/** Each method with its 95 % range on one axis, and the best value of them all below. */
const props = defineProps<{ combined: Combined }>();

const ends = computed(() => {
  const all = [...props.combined.methods, ...(props.combined.best ? [props.combined.best] : [])];
  const low = Math.floor((Math.min(...all.map((m) => m.low)) - 1) / 5) * 5;
  const high = Math.ceil((Math.max(...all.map((m) => m.high)) + 1) / 5) * 5;
  return { low, high };
});
const at = (value: number) => `${((value - ends.value.low) / (ends.value.high - ends.value.low)) * 100}%`;
const span = (m: { low: number; high: number }) => ({ left: at(m.low), width: `calc(${at(m.high)} - ${at(m.low)})` });
const ticks = computed(() => {
  const step = ends.value.high - ends.value.low > 25 ? 10 : 5;
  const first = Math.ceil(ends.value.low / step) * step;
  return Array.from({ length: Math.floor((ends.value.high - first) / step) + 1 }, (_, k) => first + k * step);
});
const days = (tests: Combined["methods"][number]["tests"]) =>
  tests.length > 1 ? `mean of ${tests.length}, last ${dayShort(tests.at(-1)!.on)}` : dayShort(tests[0]!.on);
const range = (m: { low: number; high: number }) => `${Math.round(m.low)} to ${Math.round(m.high)}`;
</script>

<template>
  <table class="bars">
    <thead class="visually-hidden">
      <tr>
        <th>Method</th>
        <th>95 % range</th>
        <th>mL/kg/min</th>
        <th>Weight</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="m in combined.methods" :key="m.method">
        <th scope="row">
          <RouterLink :to="`/results/${m.tests.at(-1)!.result}`">{{ m.method }}</RouterLink><small>{{ days(m.tests) }}</small>
        </th>
        <td class="plot" :title="range(m)">
          <i v-for="t in ticks" :key="t" class="tick" :style="{ left: at(t) }"></i>
          <span class="bar" :style="span(m)"></span><span class="dot" :style="{ left: at(m.value) }"></span>
          <span class="visually-hidden">{{ range(m) }}</span>
        </td>
        <td class="num value">{{ m.shown }}</td>
        <td class="num weight">{{ Math.round(m.weight * 100) }} %</td>
      </tr>
      <tr v-if="combined.best && combined.methods.length > 1" class="best">
        <th scope="row">Together</th>
        <td class="plot" :title="range(combined.best)">
          <i v-for="t in ticks" :key="t" class="tick" :style="{ left: at(t) }"></i>
          <span class="bar" :style="span(combined.best)"></span><span class="dot" :style="{ left: at(combined.best.value) }"></span>
          <span class="visually-hidden">{{ range(combined.best) }}</span>
        </td>
        <td class="num value">{{ combined.best.shown }}</td>
        <td></td>
      </tr>
      <tr class="axis" aria-hidden="true">
        <td></td>
        <td class="plot">
          <span v-for="t in ticks" :key="t" class="num" :style="{ left: at(t) }">{{ t }}</span>
        </td>
        <td></td>
        <td class="weight">weight</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.bars,
.bars tbody {
  display: block;
}
tbody tr {
  display: grid;
  grid-template-columns: minmax(140px, 30%) 1fr 64px 56px;
  align-items: center;
}
tbody tr + tr {
  border-top: 1px solid var(--line);
}
th {
  text-align: left;
  font-weight: 500;
  padding: 8px 12px 8px 0;
}
th small {
  display: block;
  color: var(--soft);
  font-size: 14px;
}
.plot {
  position: relative;
  align-self: stretch;
  min-height: 44px;
  padding: 0;
}
.tick {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: var(--line);
}
.bar {
  position: absolute;
  top: calc(50% - 4px);
  height: 8px;
  border-radius: 4px;
  background: var(--fjord);
  opacity: 0.35;
}
.dot {
  position: absolute;
  top: calc(50% - 7px);
  width: 14px;
  height: 14px;
  margin-left: -7px;
  border-radius: 50%;
  background: var(--fjord);
}
.best th {
  font-weight: 700;
}
.best .bar {
  top: calc(50% - 7px);
  height: 14px;
  opacity: 0.6;
}
.best .dot {
  border-radius: 2px;
  background: var(--ink);
}
.value {
  text-align: right;
  font-size: 18px;
  font-weight: 650;
}
.weight {
  text-align: right;
  color: var(--soft);
  font-size: 14px;
}
.axis .plot {
  min-height: 28px;
}
.axis .plot span {
  position: absolute;
  top: 4px;
  transform: translateX(-50%);
  white-space: nowrap;
  color: var(--soft);
  font-size: 14px;
}
@media (max-width: 560px) {
  tbody tr {
    grid-template-columns: 1fr 64px 56px;
    padding: 6px 0 4px;
  }
  .plot {
    grid-area: 2 / 1 / 3 / 4;
    min-height: 30px;
    margin: 0 8px;
  }
  .axis .plot {
    grid-row: 1;
  }
  .axis .weight {
    display: none;
  }
  th {
    padding: 0;
  }
}
</style>
