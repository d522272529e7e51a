<script setup lang="ts">
/** Parts of the library to choose from: one, or all of them. */
defineProps<{ sections: string[] }>();
const chosen = defineModel<string>({ required: true });
</script>

<template>
  <div class="chips" role="group" aria-label="Part of the library">
    <button type="button" :aria-pressed="chosen === ''" :class="{ on: chosen === '' }" @click="chosen = ''">All</button>
    <button v-for="s in sections" :key="s" type="button" :aria-pressed="chosen === s" :class="{ on: chosen === s }" @click="chosen = s">
      {{ s }}
    </button>
  </div>
</template>

<style scoped>
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 12px 0 4px;
}
button {
  font: inherit;
  font-size: 16px;
  min-height: 40px;
  padding: 4px 14px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--card);
  color: var(--ink);
  cursor: pointer;
}
button.on {
  background: var(--fjord);
  border-color: var(--fjord);
  color: var(--on-fjord);
}
</style>
