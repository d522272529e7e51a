<script setup lang="ts">
import { computed } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";

/** Started again and again on the clock; each start has its time. */
const sheet = theSheet();
const open = computed(() => sheet.start.value.from !== null && !sheet.startDone.value);
const press: Keys["press"] = (key, event) => {
  if (!sheet.live.value || key !== " " || event.repeat) return false;
  void sheet.cross();
  return true;
};
defineExpose<Keys>({ press });
</script>

<template>
  <button type="button" class="big" :class="{ main: open }" :disabled="!open" @click="sheet.cross()">Over the line <kbd>Space</kbd></button>
</template>
