<script setup lang="ts">
import { theSheet } from "@/floor/useSheet";
import { useEntry } from "@/floor/useEntry";
import SheetInput from "../SheetInput.vue";

/** What is counted or timed with a key can be typed too. */
const sheet = theSheet();
const entry = useEntry(sheet);
const { text, field } = entry;
async function enter() {
  if (!text.value.trim()) return;
  const value = entry.number();
  if (value === null) return;
  text.value = "";
  field.value?.blur();
  await sheet.take(value);
}
defineExpose({ isTyping: () => text.value.trim() !== "" });
</script>

<template>
  <form class="entry" @submit.prevent="enter">
    <label for="sheet-entry">or type it</label>
    <SheetInput ref="field" v-model="text" />
  </form>
</template>

<style scoped>
.entry :deep(input) {
  width: 7ch;
  font-size: 22px;
}
</style>
