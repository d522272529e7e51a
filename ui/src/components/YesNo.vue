<script setup lang="ts">
import { useId } from "vue";

/** A question with two large answers; neither is chosen for anyone. */
defineProps<{ label: string; name: string }>();
/** Two tests on one page ask the same question: their answers are a group each. */
const group = useId();
const answer = defineModel<boolean | null>({ required: true });
</script>

<template>
  <fieldset class="ask">
    <legend class="visually-hidden">{{ label }}</legend>
    <span class="words"
      ><b aria-hidden="true">{{ label }}</b
      ><small><slot /></small
    ></span>
    <label
      v-for="[words, value] in [
        ['Yes', true],
        ['No', false],
      ] as [string, boolean][]"
      :key="words"
      :class="{ on: answer === value }"
    >
      <input type="radio" :name="`${name}-${group}`" :checked="answer === value" @change="answer = value" />{{ words }}
    </label>
  </fieldset>
</template>

<style scoped>
.ask {
  border: 0;
  border-bottom: 1px solid var(--line);
  margin: 0;
  padding: 12px 0;
  display: flex;
  align-items: center;
  gap: 10px;
}
.words {
  flex: 1;
  line-height: 1.35;
}
small {
  display: block;
  color: var(--soft);
  font-size: 15px;
}
label {
  min-width: 66px;
  min-height: 48px;
  display: grid;
  place-items: center;
  border: 1px solid var(--el-border-color);
  border-radius: 8px;
  cursor: pointer;
  background: var(--card);
  font-weight: 600;
}
label.on {
  background: var(--fjord);
  border-color: var(--fjord);
  color: var(--on-fjord);
}
label:has(:focus-visible) {
  outline: 3px solid var(--fjord);
  outline-offset: 2px;
}
input {
  position: absolute;
  opacity: 0;
  pointer-events: none;
}
</style>
