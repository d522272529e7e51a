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
