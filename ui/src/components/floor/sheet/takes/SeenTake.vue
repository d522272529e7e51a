<script setup lang="ts">
import { computed } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";
import { taken } from "@/logic/sheet";

/** One movement that is watched: a key for each thing that is seen and costs. */
const sheet = theSheet();
const { live, full, watched } = sheet;
const rules = computed(() => taken(sheet.row.value, "seen"));
const press: Keys["press"] = (key, event) => {
  const seen = rules.value?.keys[Number(key) - 1];
  if (seen) void watched.see(seen.input, seen.label);
  else if (live.value && !full.value && key === " " && !event.repeat) void watched.over();
  else return false;
  return true;
};
defineExpose<Keys>({ press });
</script>

<template>
  <button v-for="(k, n) in rules?.keys ?? []" :key="`${k.input}${k.label}`" type="button" @click="watched.see(k.input, k.label)">
    {{ k.label }} <kbd>{{ n + 1 }}</kbd>
  </button>
  <button v-if="!full" type="button" class="big" :class="{ main: live }" :disabled="!live" @click="watched.over()">
    {{ rules?.ends }} <kbd>Space</kbd>
  </button>
</template>
