<script setup lang="ts">
/** A battery's name, and at the right how long it is. */
defineProps<{ name: string }>();
</script>

<template>
  <span class="head"
    ><b>{{ name }}</b
    ><small><slot /></small
  ></span>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
}
b {
  font-size: 18px;
}
small {
  color: var(--soft);
  font-size: 15px;
  white-space: nowrap;
}
</style>
