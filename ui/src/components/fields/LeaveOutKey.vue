<script setup lang="ts">
/** Leaves a line of a list out, and puts it back. `called`: the line, in words. */
defineProps<{ out: boolean; called: string }>();
const emit = defineEmits<{ out: []; back: [] }>();
</script>

<template>
  <button v-if="!out" type="button" class="drop-line" :aria-label="`Leave out ${called}`" @click="emit('out')">×</button>
  <button v-else type="button" class="linklike back" @click="emit('back')">put back</button>
</template>
