<script setup lang="ts">
/** What a visit needs before it begins: what to set up and what to keep in mind; below, what begins it. */
defineProps<{ equipment: string[]; cautions: string[] }>();
</script>

<template>
  <aside>
    <div class="box">
      <h2>To set up</h2>
      <ul>
        <li v-for="e in equipment" :key="e">{{ e }}</li>
        <li v-if="!equipment.length">Nothing but room.</li>
      </ul>
    </div>
    <div v-if="cautions.length" class="box care">
      <h2>Keep in mind</h2>
      <ul>
        <li v-for="c in cautions" :key="c">{{ c }}</li>
      </ul>
    </div>
    <slot />
  </aside>
</template>

<style scoped>
aside {
  display: grid;
  gap: 14px;
}
ul {
  margin: 0;
  padding-left: 20px;
}
</style>
