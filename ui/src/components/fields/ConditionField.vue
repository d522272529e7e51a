<script setup lang="ts">
import type { Condition } from "@/api/types";
import YesNo from "@/components/YesNo.vue";
import { shownUnit, type Units } from "@/logic/units";

/** One circumstance: yes or no, one of a few, a number with its unit, words. */
defineProps<{ condition: Condition; wrong?: string | null; units?: Units }>();
const model = defineModel<string | boolean | undefined>({ required: true });
</script>

<template>
  <div class="condition">
    <YesNo
      v-if="condition.kind === 'yes_no'"
      :model-value="(model as boolean | undefined) ?? null"
      :name="condition.key"
      :label="condition.ask"
      @update:model-value="(v) => v !== null && (model = v)"
      ><slot name="yes-no"
    /></YesNo>
    <template v-else-if="condition.kind === 'choice'">
      <span :id="`c-${condition.key}`" class="name">{{ condition.ask }}</span>
      <ElRadioGroup
        :model-value="model as string"
        :aria-labelledby="`c-${condition.key}`"
        @update:model-value="(v: unknown) => (model = String(v))"
      >
        <ElRadioButton v-for="[key, words] in condition.choices as [string, string][]" :key="key" :value="key">{{ words }}</ElRadioButton>
      </ElRadioGroup>
    </template>
    <label v-else
      ><span class="name">{{ condition.label }}</span>
      <ElInput
        :model-value="model as string"
        :name="condition.key"
        :inputmode="condition.kind === 'number' && !((condition.possible?.[0] ?? 0) < 0) ? 'decimal' : 'text'"
        :class="{ number: condition.kind === 'number' }"
        @update:model-value="(v: string) => (model = v)"
        ><template v-if="condition.unit" #append>{{ shownUnit(condition.unit, units ?? "metric") }}</template></ElInput
      ><span class="hint"
        ><template v-if="condition.ask !== `${condition.label}?`">{{ condition.ask }}</template
        ><slot name="hint" /></span
    ></label>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <slot />
  </div>
</template>

<style scoped>
.condition {
  margin-bottom: 18px;
}
.name {
  display: block;
  font-weight: 600;
  margin-bottom: 4px;
}
.hint {
  display: block;
  color: var(--soft);
  font-size: 15px;
  margin-top: 2px;
}
.number {
  max-width: 200px;
}
</style>
