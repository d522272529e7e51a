<script setup lang="ts">
import type { MeasureSummary } from "@/api/types";
import { dayBrief } from "@/logic/dates";

/** Every measure a client has: the first time, the best and the last. The measure leads to how it has gone. */
const props = defineProps<{ measures: MeasureSummary[]; person: string }>();
const to = (m: MeasureSummary) =>
  m.times > 1 ? `/people/${props.person}/trend/${m.protocol}/${m.quantity}?like=${m.last.result}` : `/results/${m.last.result}`;
</script>

<template>
  <div class="measures" role="table" aria-label="Measures">
    <div class="row head soft" role="row">
      <span role="columnheader">Measure</span><span role="columnheader">First</span><span role="columnheader">Best</span
      ><span role="columnheader">Last</span>
    </div>
    <RouterLink v-for="m in measures" :key="m.quantity + m.last.result" class="row" role="row" :to="to(m)">
      <span class="what" role="cell"
        >{{ m.title }}<small>{{ [m.detail, m.unit].filter(Boolean).join(", ") }}</small></span
      >
      <span v-for="(t, k) in [m.first, m.best]" :key="k" class="then" role="cell"
        ><template v-if="t"
          ><span class="num">{{ t.shown }}</span
          ><small>{{ dayBrief(t.on) }}</small></template
        ></span
      >
      <span class="last" role="cell"
        ><b class="num">{{ m.last.shown }}</b
        ><small>{{ dayBrief(m.last.on) }}</small></span
      >
    </RouterLink>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 92px 92px 92px;
  gap: 12px;
  align-items: center;
  min-height: 46px;
  padding: 3px 8px 3px 0;
  border-top: 1px solid var(--line);
  color: inherit;
  text-decoration: none;
  line-height: 1.2;
}
.row:last-child {
  border-bottom: 1px solid var(--line);
}
a.row:hover {
  background: var(--fjord-wash);
}
.head {
  min-height: 30px;
  border: 0;
  font-size: 15px;
}
.head span:not(:first-child),
.then,
.last {
  text-align: right;
}
small {
  display: block;
  color: var(--soft);
  font-size: 14px;
}
@media (max-width: 640px) {
  .row {
    grid-template-columns: minmax(0, 1fr) 70px 74px;
    gap: 8px;
  }
  .row > :nth-child(3) {
    display: none;
  }
}
</style>
