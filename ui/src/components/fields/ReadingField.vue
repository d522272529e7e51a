<script setup lang="ts">
import { computed } from "vue";
import type { Input } from "@/api/types";
import { signsOf } from "@/logic/signs";
import { shownUnit, type Units } from "@/logic/units";
import { typed as number } from "@/logic/typed";

/** One reading of a test that was done on paper: a field for each side and try, in the shape its input takes. */
const props = defineProps<{
  input: Input;
  wrong?: string | null;
  given?: Record<string, unknown>;
  units?: Units;
  /** The stages of the ladder that this reading counts, easiest first: chosen by their words. */
  stages?: string[];
}>();
/** The two sides of its zero: chosen, never typed. */
const signs = computed(() => signsOf(props.input, props.given ?? {}));
/** What is typed, by `key`, `key.side`, `key.side.try` and, for points, `key.side.point`. */
const typed = defineModel<Record<string, string>>({ required: true });
const kind = computed(() => props.input.kind ?? "number");
const sides = computed(() => (props.input.sides?.length ? props.input.sides : [""]));
const at = (side: string, part: string | number = "") => [props.input.key, side, part].filter((p) => p !== "").join(".");
/** As many fields as were filled, and one more. */
function tries(side: string): number[] {
  const most = props.input.tries ?? 1;
  if (most === 1) return [0];
  let filled = props.input.at_least ?? 1;
  for (let n = 1; n <= most; n++) if (typed.value[at(side, n)]?.trim()) filled = Math.max(filled, n + 1);
  if (props.input.agree_within != null && filled > 2) {
    const [a, b] = [1, 2].map((n) => number(typed.value[at(side, n)] ?? "", props.input.unit ?? "", props.units) ?? 0) as [number, number];
    if (Math.abs(a - b) <= props.input.agree_within + 1e-6 && !typed.value[at(side, 3)]?.trim()) filled = 2;
  }
  return Array.from({ length: Math.min(most, filled) }, (_, k) => k + 1);
}
const name = (side: string, n: number) => at(side, n || "");
const label = (side: string, n: number) => [props.input.label, side, n ? `try ${n}` : ""].filter(Boolean).join(", ");
const unit = computed(() => (props.input.unit === "s" ? "min:s" : shownUnit(props.input.unit ?? "", props.units ?? "metric")));
</script>

<template>
  <div class="reading field">
    <span :id="`r-${input.key}`" class="name">{{ input.label }}</span>
    <ElRadioGroup v-if="kind === 'choice'" v-model="typed[input.key]" :aria-labelledby="`r-${input.key}`">
      <ElRadioButton v-for="[key, words] in input.choices as [string, string][]" :key="key" :value="key">{{ words }}</ElRadioButton>
    </ElRadioGroup>
    <select v-else-if="stages" v-model="typed[input.key]" :name="input.key" class="native" :aria-labelledby="`r-${input.key}`">
      <option value=""></option>
      <option value="0">0 none passed</option>
      <option v-for="(words, k) in stages" :key="words" :value="String(k + 1)">{{ k + 1 }} {{ words }}</option>
    </select>
    <ElInput v-else-if="kind === 'words'" v-model="typed[input.key]" :name="input.key" :aria-labelledby="`r-${input.key}`" />
    <div v-for="side in sides" v-else :key="side" class="row" :class="{ beside: side && (input.tries ?? 1) === 1 && kind !== 'points' }">
      <span v-if="side" class="side">{{ side }}</span>
      <template v-if="kind === 'points'">
        <div v-for="[key, words] in input.points as [string, string][]" :key="key" class="point">
          <span :id="`r-${at(side, key)}`">{{ words }}</span>
          <ElRadioGroup v-model="typed[at(side, key)]" :aria-labelledby="`r-${at(side, key)}`" size="small">
            <ElRadioButton value="yes">met</ElRadioButton><ElRadioButton value="no">not met</ElRadioButton>
          </ElRadioGroup>
        </div>
      </template>
      <template v-for="n in tries(side)" v-else :key="n">
        <ElRadioGroup v-if="kind === 'yes_no'" v-model="typed[name(side, n)]" :aria-label="label(side, n)" size="small">
          <ElRadioButton value="yes">yes</ElRadioButton><ElRadioButton value="no">no</ElRadioButton>
        </ElRadioGroup>
        <ElInput v-else v-model="typed[name(side, n)]" :name="name(side, n)" :aria-label="label(side, n)" inputmode="text" class="number">
          <template v-if="unit" #append>{{ unit }}</template>
        </ElInput>
        <ElRadioGroup
          v-if="signs?.plus && kind === 'number' && typed[name(side, n)]?.trim()"
          v-model="typed[`${name(side, n)}.sign`]"
          :aria-label="`${label(side, n)}: ${signs.minus} or ${signs.plus}`"
          size="small"
        >
          <ElRadioButton value="-">{{ signs.minus }}</ElRadioButton><ElRadioButton value="+">{{ signs.plus }}</ElRadioButton>
        </ElRadioGroup>
      </template>
    </div>
    <span v-if="(input.tries ?? 1) > 1 && kind === 'number' && input.agree_within == null" class="hint"
      >In the order they were done. Type x for one that did not count.</span
    >
    <span v-if="wrong" class="wrong" role="alert">{{ wrong }}</span>
  </div>
</template>

<style scoped>
.name {
  display: block;
  font-weight: 600;
  margin-bottom: 4px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  margin-bottom: 8px;
}
.beside {
  display: inline-flex;
  margin-right: 20px;
}
.side {
  min-width: 5ch;
  color: var(--soft);
}
.number {
  max-width: 150px;
  display: flex;
}
.point {
  display: flex;
  flex: 1 1 100%;
  align-items: center;
  justify-content: space-between;
  gap: 16px;
  max-width: 460px;
}
.hint {
  color: var(--soft);
  font-size: 15px;
}
</style>
