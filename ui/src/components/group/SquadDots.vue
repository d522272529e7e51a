<script setup lang="ts">
import { computed } from "vue";
import type { GroupStanding } from "@/api/types";
import { piles } from "@/logic/piles";

/** A group along one measure: everybody's number stands where they came to, one above the other where they came to the same. */
const props = defineProps<{ group: GroupStanding; measure: number }>();
const measure = computed(() => props.group.measures[props.measure]!);
const of = computed(() =>
  props.group.lines.flatMap((line, k) => {
    const cell = line.cells[props.measure];
    return cell?.counts ? [{ value: cell.value, shown: cell.shown, tag: String(line.number ?? k + 1), name: line.name }] : [];
  }),
);
const drawn = computed(() => piles(of.value));
const says = computed(() => drawn.value.map((p) => `${p.shown}: ${p.of.map((o) => o.name).join(", ")}`).join("; "));
</script>

<template>
  <figure v-if="drawn.length > 1" class="dots">
    <figcaption>{{ measure.label }}, {{ measure.unit }}: who came how far, by number</figcaption>
    <div class="field" role="img" :aria-label="says" :style="{ height: `${Math.max(...drawn.map((p) => p.of.length)) * 28 + 34}px` }">
      <div v-for="p in drawn" :key="p.shown" class="pile" :style="{ left: `${p.at}%` }">
        <span v-for="o in p.of" :key="o.tag" class="num tag" :title="`${o.name}: ${o.shown}`">{{ o.tag }}</span>
        <span class="num foot" :class="{ low: p.lowered }">{{ p.shown }}</span>
      </div>
    </div>
  </figure>
</template>

<style scoped>
.dots {
  margin: 0 0 22px;
  break-inside: avoid;
}
figcaption {
  color: var(--soft);
  margin-bottom: 8px;
}
.field {
  position: relative;
  margin: 0 22px;
  padding-bottom: 16px;
}
.field::after {
  content: "";
  position: absolute;
  inset: auto -20px 34px;
  border-top: 2px solid var(--line);
}
.pile {
  position: absolute;
  bottom: 0;
  transform: translateX(-50%);
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 3px;
}
.tag {
  min-width: 27px;
  height: 25px;
  padding: 0 4px;
  border-radius: 6px;
  background: var(--fjord);
  color: var(--on-fjord);
  font-size: 15px;
  line-height: 25px;
  text-align: center;
}
.foot {
  height: 32px;
  padding-top: 6px;
  font-size: 14px;
  white-space: nowrap;
}
.foot.low {
  padding-top: 18px;
}
</style>
